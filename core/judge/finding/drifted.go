package finding

import (
	"fmt"
	"math"

	"opengauge/core/judge/crowd"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var drifted = Kind{
	Name:     "drifted",
	Says:     "the same, measured again at the end, moved by more than repeats differ: of a review, or of hosts at once",
	Severity: session.Caution,
	Settles:  "compare within a day, after a rest, and measure the first cell again at the end of each",
	Evidence: DriftedEvidence{},
}

// DriftedEvidence says which cell moved, by how much, and by how much it may move by
// itself.
type DriftedEvidence struct {
	Cell    string  `json:"cell"`
	Order   int     `json:"order,omitempty"`
	Day     string  `json:"day,omitempty"`
	Share   float64 `json:"moved_share"`
	Allowed float64 `json:"allowed_share"`
}

// Drifted makes the finding of a review whose first cell moved.
func Drifted(e DriftedEvidence, probability float64, summary, advice string) session.Finding {
	f := drifted.new(probability, []int{}, e)
	f.Summary = summary
	f.Advice = advice
	return f
}

// findDriftedHosts finds that a volume gave one host something else when others had measured with it.
func findDriftedHosts(s *session.Session, n unit.Notation) []session.Finding {
	var found []session.Finding
	sweeps := crowd.Of(s)
	for i := range sweeps {
		w := &sweeps[i]
		if w.Limit != crowd.Changed {
			continue
		}
		share, allowed := w.Drift()
		// Twice what is allowed is hardly chance; at the limit it may be.
		probability := min(0.5+0.4*(math.Abs(share)/allowed-1), 0.9)
		cell := fmt.Sprintf("%s alone, %s", w.Points[0].Each[0].Host, w.Label)
		found = append(found, Drifted(DriftedEvidence{Cell: cell, Share: share, Allowed: allowed}, probability, w.Verdict(n),
			"Let the volume rest until it gives one host what it gave at first, and repeat; with fewer counts of hosts it "+
				"spends less meanwhile."))
	}
	return found
}
