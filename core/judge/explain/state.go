package explain

import (
	"cmp"
	"math"
	"slices"
)

const (
	// oneLevel is how far apart levels may be, in logarithms, and be the same one.
	oneLevel = 0.10
	// leastTie and mostTie bound how alike levels are that are the same, besides noise,
	// and usualTie is that of those that came only a few times.
	leastTie, mostTie, usualTie = 0.02, 0.10, 0.06
)

// states are levels, put to those that are the same: 0 is the fastest.
type states struct {
	of     []int // a level each
	count  int
	middle []float64
}

// statesOf finds which levels, of those from lo to hi, are the same ones.
func (e *evidence) statesOf(levels []level) states {
	order := make([]int, len(levels))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(levels[b].y, levels[a].y) })
	s := states{of: make([]int, len(levels))}
	weights := []float64{}
	for i, number := range order {
		l := &levels[number]
		if i == 0 || levels[order[i-1]].y-l.y > max(oneLevel, 2.5*e.errorOf(l)) {
			s.count++
			s.middle, weights = append(s.middle, 0), append(weights, 0)
		}
		s.of[number] = s.count - 1
		weight := float64(l.bins())
		s.middle[s.count-1] += l.y * weight
		weights[s.count-1] += weight
	}
	for i := range s.middle {
		s.middle[i] /= weights[i]
	}
	return s
}

// twoStates puts levels to a fast and a slow one, whichever is nearer.
func twoStates(levels []level) states {
	low, high := math.Inf(1), math.Inf(-1)
	for _, l := range levels {
		low, high = min(low, l.y), max(high, l.y)
	}
	s := states{of: make([]int, len(levels)), count: 2, middle: make([]float64, 2)}
	var bins [2]float64
	for i, l := range levels {
		if l.y < (low+high)/2 {
			s.of[i] = 1
		}
		weight := float64(l.bins())
		s.middle[s.of[i]] += l.y * weight
		bins[s.of[i]] += weight
	}
	for i := range bins {
		s.middle[i] /= max(bins[i], 1)
	}
	return s
}

// errorOf is the standard error of a level.
func (e *evidence) errorOf(l *level) float64 {
	return l.noise * math.Sqrt(e.noise.inflation()/float64(l.bins()))
}

// normal is the logarithm of the normal density.
func normal(x, deviation float64) float64 {
	z := x / deviation
	return -z*z/2 - math.Log(deviation*math.Sqrt(2*math.Pi))
}

// ties is what it is worth that levels are those of states, beside levels anywhere:
// each new one costs what a free one does, and each that was there before is held
// against it. Of the states from loose on, levels are free.
func (e *evidence) ties(levels []level, s states, loose int) float64 {
	seen := make([]bool, s.count)
	wide := s.ties(levels)
	total := 0.0
	for i, l := range levels {
		state := s.of[i]
		switch {
		case !seen[state] || state >= loose:
			if i > 0 {
				total -= levelCost
			}
		default:
			total += max(normal(l.y-s.middle[state], math.Hypot(wide[state], e.errorOf(&l))), -levelCost-2)
		}
		seen[state] = true
	}
	return total
}

// ties is how alike the levels of each state are.
func (s states) ties(levels []level) []float64 {
	count, square, wide := make([]float64, s.count), make([]float64, s.count), make([]float64, s.count)
	for i, l := range levels {
		away := l.y - s.middle[s.of[i]]
		count[s.of[i]]++
		square[s.of[i]] += away * away
	}
	for i := range wide {
		if wide[i] = usualTie; count[i] >= 4 {
			wide[i] = min(max(math.Sqrt(square[i]/(count[i]-1)), leastTie), mostTie)
		}
	}
	return wide
}

// order is what it is worth that changes come by state, at an even rate up and down in
// each, beside changes that come at any time, to whatever level.
func (e *evidence) order(levels []level, s states, loose int) float64 {
	total := e.ties(levels, s, loose)
	bins, ups, downs := make([]float64, s.count), make([]float64, s.count), make([]float64, s.count)
	for i, l := range levels {
		bins[s.of[i]] += float64(l.bins())
		switch {
		case i+1 == len(levels):
		case levels[i+1].y > l.y:
			ups[s.of[i]]++
		default:
			downs[s.of[i]]++
		}
	}
	for state := range bins {
		if state > 0 {
			total += constant(ups[state], bins[state], e.scale())
		}
		if state < s.count-1 || downs[state] > 0 {
			total += constant(downs[state], bins[state], e.scale())
		}
	}
	return total + e.free
}

// recurs is what it is worth that a fast level comes again, with slower ones between:
// the same few, or any.
func (e *evidence) recurs(levels []level) float64 {
	s := e.statesOf(levels)
	few := e.order(levels, s, s.count) - float64(max(s.count-2, 0))
	two := states{of: make([]int, len(levels)), count: min(s.count, 2), middle: s.middle[:min(s.count, 2)]}
	for i := range s.of {
		two.of[i] = min(s.of[i], 1)
	}
	return max(few, e.order(levels, two, 1))
}

// never is what it is worth that a change did not come in so many bins, of an
// explanation that knows that it does not.
func (e *evidence) never(bins float64) float64 { return -constant(0, bins, e.scale()) }
