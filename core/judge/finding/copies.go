package finding

import (
	"fmt"

	"opengauge/core/record/session"
)

// copiesThatDiffer finds copies whose files are not what their sources are.
func copiesThatDiffer(s *session.Session) []session.Finding {
	var found []session.Finding
	for at := range s.Copies {
		c := &s.Copies[at]
		if c.Differing == 0 {
			continue
		}
		found = append(found, session.Finding{
			Kind: "corrupt-data", Severity: session.Fault, Confidence: 0.99, Passes: []int{},
			Summary:  fmt.Sprintf("%s from %s to %s: %d of %d files are not what they were copied from.", c.Set, s.Ends[c.From].Address, s.Ends[c.To].Address, c.Differing, c.Verified),
			Evidence: map[string]any{"copy": float64(c.Index), "files_compared": float64(c.Verified), "files_differing": float64(c.Differing)},
			Advice:   "Trust neither end nor what is between them with data until it is known which is at fault: repeat with another cable, port and host.",
		})
	}
	return found
}
