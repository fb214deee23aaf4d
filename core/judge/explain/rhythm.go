package explain

import (
	"math"
	"slices"

	gonum "gonum.org/v1/gonum/stat"

	"opengauge/core/stat"
)

// regularly is what it is worth to a cause that repeats itself that a recording does.
const regularly = 1.5

// stretches are how long the fastest level lasted each time, and what is slower, in
// bins; what the recording ended in is left out.
func (e *evidence) stretches(levels []level, s states) (fast, slow []float64) {
	last, length := -1, 0.0
	for i, l := range levels {
		kind := min(s.of[i], 1)
		if kind != last && last >= 0 {
			if last == 0 {
				fast = append(fast, length)
			} else {
				slow = append(slow, length)
			}
			length = 0
		}
		last = kind
		length += float64(l.bins())
	}
	return fast, slow
}

// regular says whether fast and slow stretches, after the first fast one, are alike:
// what repeats itself does so at the same temperatures, whatever the cause.
func (e *evidence) regular(levels []level, s states) bool {
	if evenly := func(s states, levels []level) bool {
		const even = 0.3
		fast, slow := e.stretches(levels, s)
		return len(fast) >= 3 && len(slow) >= 3 && spread(fast[1:]) < even && spread(slow) < even
	}; len(levels) > 2 {
		return evenly(s, levels) || evenly(twoStates(levels[1:]), levels[1:])
	}
	return false
}

// trend adds that slow levels go one way, as nothing does that comes again.
func (e *evidence) trend(f *fit, levels []level, s states) {
	var numbers, slow []float64
	for i, l := range levels {
		if s.of[i] > 0 {
			numbers, slow = append(numbers, float64(len(slow))), append(slow, l.y)
		}
	}
	if len(slow) < 5 || slices.Max(slow)-slices.Min(slow) < 2*leastChange {
		return
	}
	if math.Abs(stat.RankCorrelation(numbers, slow)) > 0.8 {
		f.add(-8, "each slow level is further on the same way")
	}
}

// rhythm adds what a threshold does from cold: the first fast stretch is the longest,
// and those after it are alike; weight is how much of it counts.
func (e *evidence) rhythm(f *fit, levels []level, s states, weight float64) {
	if !e.regular(levels, s) {
		return
	}
	fast, _ := e.stretches(levels, s)
	if len(fast) < 3 { // what comes again comes below the first level
		later, _ := e.stretches(levels[1:], twoStates(levels[1:]))
		fast = append([]float64{float64(levels[0].bins())}, later...)
	}
	const longer = 1.5
	cold := fast[0] > longer*stat.Median(fast[1:])
	if !cold && len(fast) > 3 { // or the first of the milder stage is
		cold = fast[1] > longer*stat.Median(fast[2:])
	}
	if cold {
		f.add(2*regularly*weight, "the first fast stretch is the longest, and the others are alike: it began cold")
	} else {
		f.add(regularly*(2*weight-1), "fast and slow stretches are alike")
	}
}

// spread is the deviation of figures over their mean.
func spread(values []float64) float64 {
	mean, deviation := gonum.PopMeanStdDev(values, nil)
	if mean == 0 {
		return math.Inf(1)
	}
	return deviation / mean
}
