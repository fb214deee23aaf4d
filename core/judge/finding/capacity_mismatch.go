package finding

import (
	"fmt"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var capacityMismatch = Kind{
	Name:     "capacity-mismatch",
	Says:     "the device holds less than it says",
	Severity: session.Fault,
	Settles:  "write all of it and read it back (--verify)",
	Evidence: CapacityMismatchEvidence{},
}

// CapacityMismatchEvidence is the true capacity, and the claimed one.
type CapacityMismatchEvidence struct {
	Holds     unit.Bytes `json:"holds_bytes"`
	Says      unit.Bytes `json:"says_bytes"`
	Misplaced int64      `json:"misplaced"`
}

// findCapacityMismatch reports that data written past some byte came back from the start.
func findCapacityMismatch(s *session.Session, _ unit.Notation) []session.Finding {
	v := s.Verification
	if v == nil || v.Faults == 0 || v.WrapsAtBytes == 0 {
		return nil
	}
	f := capacityMismatch.new(0.95, []int{}, CapacityMismatchEvidence{v.WrapsAtBytes, s.Target.CapacityBytes,
		v.Misplaced})
	f.Summary = fmt.Sprintf("What was written past %s came back from the start: the device holds less than the %s "+
		"that it says.",
		v.WrapsAtBytes.Capacity(), s.Target.CapacityBytes.Capacity())
	f.Advice = "Do not keep anything on this device. Return it."
	return []session.Finding{f}
}
