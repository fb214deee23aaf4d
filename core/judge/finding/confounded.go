package finding

import (
	"strings"

	"opengauge/core/record/session"
)

var confounded = Kind{
	Name:     "confounded",
	Says:     "of a comparison: more than one circumstance differs, so that what made the difference is not known",
	Severity: session.Caution,
	Settles:  "measure with only one of them changed",
	Evidence: ConfoundedEvidence{},
}

// ConfoundedEvidence lists the sessions with their differences, and the ones that would untangle them.
type ConfoundedEvidence struct {
	Baseline    string `json:"baseline"`
	Session     string `json:"session"`
	Differing   string `json:"differing"`
	NotSaid     string `json:"not_said_of_both"`
	UntangledBy string `json:"untangled_by"`
}

// Confounded makes the finding of a comparison in which two sessions differ in more
// than one circumstance.
func Confounded(e ConfoundedEvidence, summary, advice string) session.Finding {
	f := confounded.new(1, []int{}, e)
	f.Summary = strings.TrimSpace(summary)
	f.Advice = advice
	return f
}
