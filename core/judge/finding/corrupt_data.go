package finding

import (
	"fmt"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var corruptData = Kind{
	Name:     "corrupt-data",
	Says:     "what was read is not what was written, or cannot be read",
	Severity: session.Fault,
	Settles:  "repeat on another port and cable, and with other memory",
	Evidence: CorruptDataEvidence{},
}

// CorruptDataEvidence counts blocks by their content, or of copies the files.
type CorruptDataEvidence struct {
	FirstOffset   int64      `json:"first_offset_bytes"`
	Written       int64      `json:"written,omitempty"`
	Checked       int64      `json:"checked"`
	Wrong         int64      `json:"wrong"`
	Stale         int64      `json:"stale"`
	Misplaced     int64      `json:"misplaced"`
	Unreadable    int64      `json:"unreadable"`
	Block         unit.Bytes `json:"block_bytes"`
	FaultyAddress string     `json:"faulty_address,omitempty"`
}

// DifferingCopyEvidence counts the files of a copy.
type DifferingCopyEvidence struct {
	Copy           int `json:"copy"`
	FilesCompared  int `json:"files_compared"`
	FilesDiffering int `json:"files_differing"`
}

// findCorruptData reports faults of verification: data that is wrong, old, in another place, or cannot be
// read.
func findCorruptData(s *session.Session, _ unit.Notation) []session.Finding {
	v := s.Verification
	if v == nil || v.Faults == 0 || v.WrapsAtBytes > 0 {
		return nil
	}
	f := corruptData.new(1, []int{}, CorruptDataEvidence{
		FirstOffset: v.FirstOffset, Written: v.Written, Checked: v.Checked, Wrong: v.Wrong, Stale: v.Stale,
		Misplaced:  v.Misplaced,
		Unreadable: v.Unreadable, Block: v.BlockBytes, FaultyAddress: v.FaultyAddress,
	})
	f.Summary = fmt.Sprintf("%d of %d blocks did not hold what was written: %d wrong, %d old, %d in another place, "+
		"%d that could not be read; the first at byte %d%s.",
		v.Faults, v.Checked+v.Unreadable, v.Wrong, v.Stale, v.Misplaced, v.Unreadable, v.FirstOffset,
		ofAddress(s, v.FaultyAddress))
	f.Advice = "Do not trust this storage. Repeat on another port and cable, and with other memory, to find out " +
		"which part is at fault."
	return []session.Finding{f}
}

func ofAddress(s *session.Session, address string) string {
	if address == "" || address == s.Target.Address {
		return ""
	}
	return " of " + address
}

// findDifferingCopies finds copies whose files differ from their sources.
func findDifferingCopies(s *session.Session, _ unit.Notation) []session.Finding {
	var found []session.Finding
	for i := range s.Copies {
		c := &s.Copies[i]
		if c.Differing == 0 {
			continue
		}
		f := corruptData.new(0.99, []int{}, DifferingCopyEvidence{c.Index, c.Verified, c.Differing})
		f.Summary = fmt.Sprintf("%s from %s to %s: %d of %d files are not what they were copied from.",
			c.Set, s.Ends[c.From].Address, s.Ends[c.To].Address, c.Differing, c.Verified)
		f.Advice = "Trust neither end nor what is between them with data until it is known which is at fault: " +
			"repeat with another cable, port and host."
		found = append(found, f)
	}
	return found
}
