package blame

import (
	"fmt"
	"slices"

	"opengauge/core/judge/factor"
	"opengauge/core/judge/outcome"
	"opengauge/core/record/session"
)

// ByFailures is the label of an isolation that is judged by what failed: a part that lets
// a device vanish is worse than one that is slow.
const ByFailures = "what failed"

const (
	// failsOften is how often a run fails with a part that makes it fail, as far as anybody
	// knows: often, and not always.
	failsOften = 0.7
	// failsAnyway is how often one fails for reasons that have nothing to do with its parts.
	failsAnyway = 0.01
)

// failing are the sessions with what became of them, where some failed and some did not.
func failing(sessions []*session.Session) ([]member, bool) {
	var members []member
	failed := 0
	for _, s := range sessions {
		o := outcome.Of(s, s.Findings)
		if len(s.Passes)+len(s.Copies) == 0 {
			continue // nothing was measured that could have failed
		}
		if o.Failed() {
			failed++
		}
		members = append(members, member{name: s.DisplayName(), factors: factor.Of(s).WithPort(), outcome: o})
	}
	return members, failed > 0 && failed < len(members)
}

// byFailures looks for the part with which sessions fail.
func byFailures(members []member, bench factor.Bench) (Isolation, error) {
	i := Isolation{Label: ByFailures, Suspects: []Suspect{}, Cleared: []Clearance{}, Others: []string{},
		failures: true, bench: bench}
	keys := varying(members)
	for _, m := range members {
		i.add(m, keys, Combination{Slow: m.outcome.Failed(), Failures: m.outcome.Failures(),
			Seconds: m.outcome.Seconds, Bytes: m.outcome.Bytes})
	}
	if len(keys) == 0 {
		return i, errNoDifference
	}
	slices.SortStableFunc(i.Combinations, func(a, b Combination) int {
		switch {
		case a.Slow == b.Slow:
			return 0
		case a.Slow:
			return -1
		}
		return 1
	})
	parts := i.partsOf(keys)
	explanations := i.weigh(parts)
	normalise(explanations)
	i.judge(keys, parts, explanations)
	return i, nil
}

// likelihood is how likely it is that a combination is as it was seen, given whether an
// explanation says that it is bad.
func (i *Isolation) likelihood(bad, seenBad bool) float64 {
	chance := mistaken // of being seen as bad
	switch {
	case i.failures && bad:
		chance = failsOften
	case i.failures:
		chance = failsAnyway
	case bad:
		chance = 1 - mistaken
	}
	if seenBad {
		return chance
	}
	return 1 - chance
}

// slow is what combinations on the bad side are called.
func (i *Isolation) slow() string {
	if i.failures {
		return "failed"
	}
	return "are slow"
}

// rates sums up how often runs with a part failed, and without: "2 of 2 runs with
// enclosure limpet failed, 0 of 2 without".
func (i *Isolation) rates(s Suspected) string {
	var with, without, all, others int
	for _, c := range i.Combinations {
		has := c.Parts[s.Key] == s.Value
		if has {
			all++
		} else {
			others++
		}
		switch {
		case c.Slow && has:
			with++
		case c.Slow:
			without++
		}
	}
	return fmt.Sprintf("%d of %d runs with %s failed, %d of %d without", with, all, s, without, others)
}
