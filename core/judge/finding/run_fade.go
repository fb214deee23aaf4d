package finding

import (
	"fmt"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

var runFade = Kind{
	Name:     "run-fade",
	Says:     "each repeat is slower than the one before",
	Severity: session.Caution,
	Marks:    HeatTrace,
	Settles:  "repeat with a rest between",
	Evidence: RunFadeEvidence{},
}

// RunFadeEvidence compares the first repeat with the last.
type RunFadeEvidence struct {
	First           unit.BytesPerSecond `json:"first_bytes_per_second"`
	Last            unit.BytesPerSecond `json:"last_bytes_per_second"`
	Repeats         int                 `json:"repeats"`
	Slower          float64             `json:"slower_share"`
	LargestStep     float64             `json:"largest_step_share"`
	RankCorrelation float64             `json:"rank_correlation"`
}

const (
	// fewestFading repeats show a trend, and fading is the rank correlation that
	// is one.
	fewestFading = 4
	fading       = -0.8
	// oneStep is the share of the whole fall that a single step may have: one that
	// has more is a write area that ran out between repeats.
	oneStep = 0.7
)

// findRunFade finds repeats each of which is slower than the one before.
func findRunFade(s *session.Session, n unit.Notation) []session.Finding {
	var found []session.Finding
	for _, group := range groupsWithoutRate(s, nil) {
		slices.SortStableFunc(group, func(a, b *session.Pass) int { return a.Repeat - b.Repeat })
		var numbers, rates []float64
		for i, pass := range group {
			numbers = append(numbers, float64(i))
			rates = append(rates, float64(pass.BytesPerSecond))
		}
		if len(rates) < fewestFading || stat.RankCorrelation(numbers, rates) > fading {
			continue
		}
		total := rates[0] - rates[len(rates)-1]
		step := 0.0
		for i := 1; i < len(rates); i++ {
			step = max(step, rates[i-1]-rates[i])
		}
		if slower := total / rates[0]; slower < leastSlower || step > oneStep*total {
			continue
		}
		first := group[0]
		last := group[len(group)-1]
		f := runFade.new(0.9, indexesOf(group), RunFadeEvidence{
			First: first.BytesPerSecond, Last: last.BytesPerSecond, Repeats: len(group), Slower: total / rates[0],
			LargestStep: step / total, RankCorrelation: stat.RankCorrelation(numbers, rates),
		})
		f.ToSeconds = first.ElapsedSeconds
		f.Summary = fmt.Sprintf("%s: each repeat is slower than the one before, from %s to %s over %d.",
			first.Label(), n.Rate(first.BytesPerSecond), n.Rate(last.BytesPerSecond), len(group))
		f.Advice = "Repeat with a rest between: if the rest brings it back, quote the first figure with the rest " +
			"that it takes; " +
			"if not, quote the last."
		found = append(found, f)
	}
	return found
}
