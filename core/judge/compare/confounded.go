package compare

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/judge/factor"
	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
)

// confounded finds that a session differs from the baseline in more than one
// circumstance, so that what made the difference is not known, and names the
// sessions that would tell: those in which only one is changed.
func confounded(sides []Side, index int, bench factor.Bench) (session.Finding, bool) {
	baseline, other := sides[0], sides[index]
	keys, unsaid := factor.Differing(baseline.Factors, other.Factors)
	if len(keys) < 2 {
		return session.Finding{}, false
	}
	var there, missing []string
	for _, key := range keys[:len(keys)-1] { // the last one follows from the others
		wanted, can := between(baseline.Factors, other.Factors, key, bench)
		if !can {
			continue
		}
		if known, ok := find(sides, wanted); ok {
			there = append(there, known.DisplayName()+" ("+wanted.Words(keys)+")")
		} else {
			missing = append(missing, wanted.Words(keys))
		}
	}
	evidence := finding.ConfoundedEvidence{
		Baseline: baseline.ID, Session: other.ID, Differing: strings.Join(keys, ", "),
		NotSaid:     strings.Join(unsaid, ", "),
		UntangledBy: strings.Join(append(slices.Clone(missing), there...), "; "),
	}
	summary := fmt.Sprintf("%s differs from %s in %d circumstances: %s instead of %s. Which of them made the "+
		"difference is not known.",
		other.DisplayName(), baseline.DisplayName(), len(keys), other.Factors.Words(keys), baseline.Factors.Words(keys))
	return finding.Confounded(evidence, summary, untangling(baseline.DisplayName(), there, missing)), true
}

// between are circumstances in which only one thing is changed against one of the two
// sessions, and whether the bench can be so.
func between(baseline, other factor.Set, key string, bench factor.Bench) (factor.Set, bool) {
	if wanted, can := bench.Possible(baseline.With(key, other)); can && !factor.Same(wanted, baseline) {
		return wanted, true
	}
	wanted, can := bench.Possible(other.With(key, baseline))
	return wanted, can && !factor.Same(wanted, other)
}

func untangling(baseline string, there, missing []string) string {
	var texts []string
	if len(missing) > 0 {
		texts = append(texts, fmt.Sprintf("To untangle it, measure with %s, and all else as in %s, or as near to "+
			"that as the parts allow.", strings.Join(missing, "; and with "), baseline))
	}
	if len(there) > 0 {
		texts = append(texts, "Among these sessions, look at "+strings.Join(there, "; and ")+".")
	}
	return strings.Join(texts, " ")
}

func find(sides []Side, wanted factor.Set) (Side, bool) {
	for _, side := range sides {
		if factor.Same(side.Factors, wanted) {
			return side, true
		}
	}
	return Side{}, false
}
