package finding

import (
	"fmt"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// corruptData reports what verification found: data that is wrong, old or in
// another place, and devices that hold less than they say.
func corruptData(s *session.Session) []session.Finding {
	v := s.Verification
	if v == nil || v.Faults == 0 {
		return nil
	}
	if v.WrapsAtBytes > 0 {
		return []session.Finding{{
			Kind: "capacity-mismatch", Severity: session.Fault, Confidence: 0.95, Passes: []int{},
			Summary: fmt.Sprintf("What was written past %s came back from the start: the device holds less than the %s that it says.",
				v.WrapsAtBytes.Capacity(), s.Target.CapacityBytes.Capacity()),
			Evidence: map[string]any{"holds_bytes": float64(v.WrapsAtBytes), "says_bytes": float64(s.Target.CapacityBytes), "misplaced": int(v.Misplaced)},
			Advice:   "Do not keep anything on this device. Return it.",
		}}
	}
	return []session.Finding{{
		Kind: "corrupt-data", Severity: session.Fault, Confidence: 1, Passes: []int{},
		Summary: fmt.Sprintf("%d of %d blocks did not hold what was written: %d wrong, %d old, %d in another place; the first at byte %d.",
			v.Faults, v.Checked, v.Wrong, v.Stale, v.Misplaced, v.FirstOffset),
		Evidence: map[string]any{
			"first_offset_bytes": float64(v.FirstOffset), "checked": int(v.Checked), "wrong": int(v.Wrong), "stale": int(v.Stale),
			"misplaced": int(v.Misplaced), "block_bytes": float64(unit.Bytes(v.BlockBytes)),
		},
		Advice: "Do not trust this storage. Repeat on another port and cable, and with other memory, to find out which part is at fault.",
	}}
}
