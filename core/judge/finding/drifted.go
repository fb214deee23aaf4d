package finding

import "opengauge/core/record/session"

var drifted = Kind{
	Name:     "drifted",
	Says:     "of a review: the same cell, measured again, moved by more than its interval",
	Severity: session.Caution,
	Settles:  "compare within a day, and measure the first cell again at the end of each",
	Evidence: DriftedEvidence{},
}

// DriftedEvidence says which cell moved, by how much, and by how much it may move by
// itself.
type DriftedEvidence struct {
	Cell    string  `json:"cell"`
	Order   int     `json:"order"`
	Day     string  `json:"day"`
	Share   float64 `json:"share"`
	Allowed float64 `json:"allowed_share"`
}

// Drifted makes the finding of a review whose first cell moved.
func Drifted(e DriftedEvidence, probability float64, summary, advice string) session.Finding {
	f := drifted.new(probability, []int{}, e)
	f.Summary, f.Advice = summary, advice
	return f
}
