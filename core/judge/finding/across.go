package finding

import (
	"fmt"
	"math"
	"slices"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

const (
	// leastSlower is the share by which a figure has to be lower for fill, repeats
	// or data to matter.
	leastSlower = 0.12
)

// grouped gives the whole, steady passes that are asked for the same once unlike
// was made alike, in the order of their first.
func grouped(s *session.Session, alike func(*plan.Pass)) [][]*session.Pass {
	return groupedOf(s, func(p *session.Pass) bool { return p.RatePerSecond == 0 }, alike)
}

// groupedOf is that of the passes that are meant.
func groupedOf(s *session.Session, meant func(*session.Pass) bool, alike func(*plan.Pass)) [][]*session.Pass {
	groups := map[plan.Pass][]*session.Pass{}
	var order []plan.Pass
	for at := range s.Passes {
		pass := &s.Passes[at]
		if pass.CutShort || pass.BytesPerSecond <= 0 || !meant(pass) {
			continue
		}
		asked := pass.Asked()
		alike(&asked)
		if groups[asked] == nil {
			order = append(order, asked)
		}
		groups[asked] = append(groups[asked], pass)
	}
	var all [][]*session.Pass
	for _, asked := range order {
		all = append(all, groups[asked])
	}
	return all
}

// endLevel is the throughput that a pass ended at: its mean, or where it fell, that
// of its last level.
func endLevel(pass *session.Pass) float64 {
	if levels := levelsOf(pass); len(levels) > 1 {
		return float64(levels[len(levels)-1].rate)
	}
	return float64(pass.BytesPerSecond)
}

// fillSlowdown finds loads that are slower the fuller the storage is.
func fillSlowdown(s *session.Session) []session.Finding {
	var found []session.Finding
	for _, group := range grouped(s, func(p *plan.Pass) { p.Fill = 0 }) {
		var fills, rates []float64
		for _, pass := range group {
			fills, rates = append(fills, pass.FillShare), append(rates, endLevel(pass))
		}
		levels := slices.Compact(slices.Sorted(slices.Values(fills)))
		if len(levels) < 3 || !fallsWith(fills, rates, levels) {
			continue
		}
		least, most := meanWhere(fills, rates, levels[0]), meanWhere(fills, rates, levels[len(levels)-1])
		slower := 1 - most/least
		if slower < leastSlower {
			continue
		}
		first := group[0]
		found = append(found, session.Finding{
			Kind: "fill-slowdown", Severity: session.Caution, Confidence: 0.9, Passes: indexesOf(group), ToSeconds: first.ElapsedSeconds,
			Summary: fmt.Sprintf("%s is slower the fuller it is: %s at %.0f %% full, %s at %.0f %%, %.0f %% less.", loadText(first), unit.Decimal.Rate(unit.BytesPerSecond(least)),
				levels[0]*100, unit.Decimal.Rate(unit.BytesPerSecond(most)), levels[len(levels)-1]*100, slower*100),
			Evidence: map[string]any{
				"least_fill_share": levels[0], "most_fill_share": levels[len(levels)-1], "at_least_fill_bytes_per_second": math.Round(least),
				"at_most_fill_bytes_per_second": math.Round(most), "slower_share": slower, "rank_correlation": stat.RankCorrelation(fills, rates),
			},
			Advice: "Keep that much free, or quote the figure of the full drive.",
		})
	}
	return found
}

// mayRise is by how much a level may be faster than the one before it.
const mayRise = 0.05

// fallsWith says whether figures never rise from one level of keys to the next.
func fallsWith(keys, values, levels []float64) bool {
	for at := 1; at < len(levels); at++ {
		if meanWhere(keys, values, levels[at]) > meanWhere(keys, values, levels[at-1])*(1+mayRise) {
			return false
		}
	}
	return true
}

func meanWhere(keys, values []float64, key float64) float64 {
	sum, count := 0.0, 0.0
	for at := range keys {
		if keys[at] == key {
			sum, count = sum+values[at], count+1
		}
	}
	return sum / count
}

// runFade finds repeats each of which is slower than the one before. A single
// step down is no fade: that is a write area that ran out between repeats.
func runFade(s *session.Session) []session.Finding {
	var found []session.Finding
	for _, group := range grouped(s, func(*plan.Pass) {}) {
		slices.SortStableFunc(group, func(a, b *session.Pass) int { return a.Repeat - b.Repeat })
		var numbers, rates []float64
		for at, pass := range group {
			numbers, rates = append(numbers, float64(at)), append(rates, float64(pass.BytesPerSecond))
		}
		if len(rates) < 4 || stat.RankCorrelation(numbers, rates) > -0.8 {
			continue
		}
		// What one step explains: the largest fall from one repeat to the next.
		total, step := rates[0]-rates[len(rates)-1], 0.0
		for at := 1; at < len(rates); at++ {
			step = max(step, rates[at-1]-rates[at])
		}
		if slower := total / rates[0]; slower < leastSlower || step > 0.7*total {
			continue
		}
		first, last := group[0], group[len(group)-1]
		found = append(found, session.Finding{
			Kind: "run-fade", Severity: session.Caution, Confidence: 0.9, Passes: indexesOf(group), ToSeconds: first.ElapsedSeconds,
			Summary: fmt.Sprintf("%s: each repeat is slower than the one before, from %s to %s over %d.", first.Label(), unit.Decimal.Rate(first.BytesPerSecond),
				unit.Decimal.Rate(last.BytesPerSecond), len(group)),
			Evidence: map[string]any{
				"first_bytes_per_second": float64(first.BytesPerSecond), "last_bytes_per_second": float64(last.BytesPerSecond), "repeats": len(group),
				"slower_share": total / rates[0], "largest_step_share": step / total, "rank_correlation": stat.RankCorrelation(numbers, rates),
			},
			Advice: "Repeat with a rest between: if the rest brings it back, quote the first figure with the rest that it takes; if not, quote the last.",
		})
	}
	return found
}

// dataSensitive finds writes whose speed depends on how compressible the data is.
func dataSensitive(s *session.Session) []session.Finding {
	var found []session.Finding
	for _, group := range grouped(s, func(p *plan.Pass) { p.CompressibleShare = 0 }) {
		var shares, rates []float64
		for _, pass := range group {
			shares, rates = append(shares, pass.CompressibleShare), append(rates, float64(pass.BytesPerSecond))
		}
		levels := slices.Compact(slices.Sorted(slices.Values(shares)))
		if len(levels) < 2 {
			continue
		}
		least, most := meanWhere(shares, rates, levels[0]), meanWhere(shares, rates, levels[len(levels)-1])
		if math.Abs(most/least-1) < leastSlower || overlapping(shares, rates, levels[0], levels[len(levels)-1]) {
			continue
		}
		found = append(found, session.Finding{
			Kind: "data-sensitive", Severity: session.Caution, Confidence: 0.9, Passes: indexesOf(group), ToSeconds: group[0].ElapsedSeconds,
			Summary: fmt.Sprintf("%s depends on the data: %s when %.0f %% of it can be compressed away, %s when %.0f %% can.", loadText(group[0]),
				unit.Decimal.Rate(unit.BytesPerSecond(least)), levels[0]*100, unit.Decimal.Rate(unit.BytesPerSecond(most)), levels[len(levels)-1]*100),
			Evidence: map[string]any{
				"least_compressible_share": levels[0], "most_compressible_share": levels[len(levels)-1],
				"at_least_bytes_per_second": math.Round(least), "at_most_bytes_per_second": math.Round(most),
			},
			Advice: "Quote the figure of incompressible data: video, sound and archives are that.",
		})
	}
	return found
}

// overlapping says whether some repeat of one level is on the wrong side of some
// of the other.
func overlapping(keys, values []float64, one, other float64) bool {
	var low, high []float64
	for at := range keys {
		switch keys[at] {
		case one:
			low = append(low, values[at])
		case other:
			high = append(high, values[at])
		}
	}
	return slices.Max(low) >= slices.Min(high) && slices.Max(high) >= slices.Min(low)
}

func indexesOf(passes []*session.Pass) []int {
	indexes := make([]int, len(passes))
	for at, pass := range passes {
		indexes[at] = pass.Index
	}
	return indexes
}
