package compare

import (
	"fmt"
	"strings"

	"opengauge/core/record/session"
)

// confounded finds that a session differs from the baseline in more than one
// circumstance, so that what made the difference is not known, and names the
// sessions that would tell: those in which only one is changed.
func confounded(sides []Side, at int) (session.Finding, bool) {
	baseline, other := sides[0], sides[at]
	keys, unsaid := differing(baseline.Factors, other.Factors)
	if len(keys) < 2 {
		return session.Finding{}, false
	}
	finding := session.Finding{
		Kind: "confounded", Severity: session.Caution, Confidence: 1, Passes: []int{},
		Summary: fmt.Sprintf("%s differs from %s in %d circumstances: %s instead of %s. Which of them made the difference is not known.",
			other.DisplayName(), baseline.DisplayName(), len(keys), other.Factors.words(keys), baseline.Factors.words(keys)),
		Evidence: map[string]any{"baseline": baseline.ID, "session": other.ID, "differing": strings.Join(keys, ", "), "not_said_of_both": strings.Join(unsaid, ", ")},
	}
	var there, missing []string
	for _, key := range keys[:len(keys)-1] { // the last one follows from the others
		wanted := baseline.Factors.with(key, other.Factors)
		if known, found := find(sides, wanted); found {
			there = append(there, known.DisplayName()+" ("+wanted.words(keys)+")")
		} else {
			missing = append(missing, wanted.words(keys))
		}
	}
	finding.Advice = untangling(baseline.DisplayName(), there, missing)
	finding.Evidence["untangled_by"] = strings.Join(append(missing, there...), "; ")
	return finding, true
}

func untangling(baseline string, there, missing []string) string {
	var texts []string
	if len(missing) > 0 {
		texts = append(texts, fmt.Sprintf("To untangle it, measure with %s, and all else as in %s, or as near to that as the parts allow.", strings.Join(missing, "; and with "), baseline))
	}
	if len(there) > 0 {
		texts = append(texts, "Among these sessions, look at "+strings.Join(there, "; and ")+".")
	}
	return strings.Join(texts, " ")
}

func find(sides []Side, wanted Factors) (Side, bool) {
	for _, side := range sides {
		if same(side.Factors, wanted) {
			return side, true
		}
	}
	return Side{}, false
}
