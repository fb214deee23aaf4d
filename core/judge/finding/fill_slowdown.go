package finding

import (
	"fmt"
	"math"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

var fillSlowdown = Kind{
	Name:     "fill-slowdown",
	Says:     "slower the fuller it is",
	Severity: session.Caution,
	Marks:    FillLadder,
	Settles:  "free it and repeat at the emptiest level",
	Evidence: FillSlowdownEvidence{},
}

// FillSlowdownEvidence compares the emptiest level with the fullest.
type FillSlowdownEvidence struct {
	LeastFill       float64             `json:"least_fill_share"`
	MostFill        float64             `json:"most_fill_share"`
	AtLeastFill     unit.BytesPerSecond `json:"at_least_fill_bytes_per_second"`
	AtMostFill      unit.BytesPerSecond `json:"at_most_fill_bytes_per_second"`
	Slower          float64             `json:"slower_share"`
	RankCorrelation float64             `json:"rank_correlation"`
}

const (
	// leastSlower is the share by which a figure has to be lower for fill, repeats
	// or data to matter.
	leastSlower = 0.12
	// fewestLevels show that it is the fill, and not one level.
	fewestLevels = 3
	// mayRise is by how much a level may be faster than the one before it.
	mayRise = 0.05
)

// findFillSlowdown finds loads that are slower the fuller the storage is.
func findFillSlowdown(s *session.Session, n unit.Notation) []session.Finding {
	var found []session.Finding
	for _, group := range groupsWithoutRate(s, func(k *session.Key) { k.Fill = 0 }) {
		var fills, rates []float64
		for _, pass := range group {
			fills = append(fills, pass.FillShare)
			rates = append(rates, endLevel(pass))
		}
		levels := slices.Compact(slices.Sorted(slices.Values(fills)))
		if len(levels) < fewestLevels || !fallsWith(fills, rates, levels) {
			continue
		}
		last := len(levels) - 1
		least := meanWhere(fills, rates, levels[0])
		most := meanWhere(fills, rates, levels[last])
		slower := 1 - most/least
		if slower < leastSlower {
			continue
		}
		f := fillSlowdown.new(0.9, indexesOf(group), FillSlowdownEvidence{
			LeastFill: levels[0], MostFill: levels[last], AtLeastFill: rate(math.Round(least)),
			AtMostFill: rate(math.Round(most)),
			Slower:     slower, RankCorrelation: stat.RankCorrelation(fills, rates),
		})
		f.ToSeconds = group[0].ElapsedSeconds
		f.Summary = fmt.Sprintf("%s is slower the fuller it is: %s at %.0f %% full, %s at %.0f %%, %.0f %% less.",
			group[0].Shape(), n.Rate(rate(least)), levels[0]*100, n.Rate(rate(most)), levels[last]*100, slower*100)
		f.Advice = "Keep that much free, or quote the figure of the full drive."
		found = append(found, f)
	}
	return found
}

// endLevel is the throughput that a pass ended at: its mean, or where it fell, that
// of its last level.
func endLevel(pass *session.Pass) float64 {
	if levels := levelsOf(pass); len(levels) > 1 {
		return levels[len(levels)-1]
	}
	return float64(pass.BytesPerSecond)
}

// fallsWith reports whether figures never rise from one level of keys to the next.
func fallsWith(keys, values, levels []float64) bool {
	for i := 1; i < len(levels); i++ {
		if meanWhere(keys, values, levels[i]) > meanWhere(keys, values, levels[i-1])*(1+mayRise) {
			return false
		}
	}
	return true
}

func meanWhere(keys, values []float64, key float64) float64 {
	sum := 0.0
	count := 0.0
	for i := range keys {
		if keys[i] == key {
			sum = sum + values[i]
			count = count + 1
		}
	}
	return sum / count
}
