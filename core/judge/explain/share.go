package explain

import (
	"cmp"
	"math"
	"slices"
)

const (
	// trust is how much of the odds is believed: facts are not quite independent, and
	// models not quite right. It was fitted on simulated benches (docs/findings.md).
	trust = 0.8
	// mostCertain is the most that is ever said, and mostByOne where a single fact
	// speaks for it.
	mostCertain, mostByOne = 0.99, 0.96
	// aFact is what a fact counts for at the least to be one that speaks for something.
	aFact = 0.7
)

// compete gives the share of each explanation, the likeliest first.
func compete(e *evidence) []Share {
	var shares []Share
	var scores []float64
	best := math.Inf(-1)
	for _, x := range Explanations {
		if !x.Possible(e.context) {
			continue
		}
		f, possible := x.fit(e)
		if !possible {
			continue
		}
		score := trust*f.nats() + odds(x.Weight(e.context.Writes, e.context.Volume))
		shares, scores = append(shares, Share{Explanation: x, Facts: f.facts, fit: f}), append(scores, score)
		best = max(best, score)
	}
	sum := 0.0
	for _, score := range scores {
		sum += math.Exp(score - best)
	}
	for i := range shares {
		shares[i].Share = math.Exp(scores[i]-best) / sum
	}
	slices.SortStableFunc(shares, func(a, b Share) int { return cmp.Compare(b.Share, a.Share) })
	return shares
}
