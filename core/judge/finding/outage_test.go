package finding

import (
	"testing"

	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
)

// Storage that answers each operation with an error is there. One that gives nothing is not, and neither is
// one of a recording that only counts errors.
func TestAnErrorIsAnAnswer(t *testing.T) {
	failures := []session.Failure{{Action: "read", Error: "input/output error", Count: 40}}
	for _, c := range []struct {
		name     string
		errors   int64
		failures []session.Failure
		want     int
	}{
		{"silent", 0, nil, 1}, {"silent behind errors", 0, failures, 1}, {"errors that were seen", 40, failures, 0},
		{"errors of a recording", 40, nil, 1},
	} {
		f := fall{session: &session.Session{}, pass: &session.Pass{Failures: c.failures}}
		f.verdict.Silences = []explain.Silence{{From: 3, To: 12, Errors: c.errors, Probability: 0.95}}
		if got := f.silences(); len(got) != c.want {
			t.Errorf("%s: %d outages, want %d", c.name, len(got), c.want)
		}
	}
}
