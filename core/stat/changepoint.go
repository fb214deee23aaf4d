// Package stat holds the statistics that findings and comparisons stand on.
//
// Its functions keep nothing, and may be called by several goroutines at once.
package stat

import (
	"math"
	"sort"
)

// Segment is a stretch of a series, from index From up to and without To, over
// which its level does not change.
type Segment struct {
	From, To int
	Mean     float64
}

// noiseFloor is the least noise that a series is taken to have, as a share of
// its median: a real one has at least that, and a simulated one without any
// would otherwise be cut wherever it moves at all.
const noiseFloor = 0.01

// Segments cuts a series where its mean changes. It finds the cuts that
// minimise the squared residuals, in units of the series' noise, plus a penalty
// for each cut: optimal partitioning with pruning (Killick, Fearnhead and
// Eckley, "Optimal detection of changepoints with a linear computational cost",
// JASA 107, 2012). The penalty is 6 ln n, above the 2 ln n of Schwarz's
// criterion because neighbouring samples are not independent and noise grows
// with the level. No segment is shorter than least; a series shorter than two
// of those is one segment. The noise is estimated from differences between
// neighbours, which a change of level hardly touches.
func Segments(series []float64, least int) []Segment {
	if len(series) < 2*max(least, 1) {
		return Partition(series, least, 0)
	}
	return Partition(series, least, 6*math.Log(float64(len(series)))*noiseVariance(series))
}

// Partition cuts a series as Segments does, with a penalty for each cut, in squares of
// the series' unit, that the caller knows.
func Partition(series []float64, least int, penalty float64) []Segment {
	n := len(series)
	if n == 0 {
		return nil
	}
	least = max(least, 1)
	sums := newPrefixSums(series)
	if n < 2*least {
		return []Segment{{From: 0, To: n, Mean: sums.mean(0, n)}}
	}
	best := make([]float64, n+1) // the least cost of series[:i]
	last := make([]int, n+1)     // where its last segment begins
	best[0] = -penalty
	candidates := []int{0}
	for end := 1; end <= n; end++ {
		best[end] = math.Inf(1)
		if end < least {
			continue
		}
		for _, from := range candidates {
			if end-from < least {
				continue
			}
			if cost := best[from] + sums.cost(from, end) + penalty; cost < best[end] {
				best[end], last[end] = cost, from
			}
		}
		kept := candidates[:0]
		for _, from := range candidates {
			if end-from < least || best[from]+sums.cost(from, end) <= best[end] {
				kept = append(kept, from)
			}
		}
		candidates = append(kept, end)
	}
	return backtrack(last, sums, n)
}

func backtrack(last []int, sums prefixSums, n int) []Segment {
	var segments []Segment
	for end := n; end > 0; end = last[end] {
		from := last[end]
		segments = append(segments, Segment{From: from, To: end, Mean: sums.mean(from, end)})
	}
	for i, j := 0, len(segments)-1; i < j; i, j = i+1, j-1 {
		segments[i], segments[j] = segments[j], segments[i]
	}
	return segments
}

// prefixSums gives sums over any stretch in constant time.
type prefixSums struct{ values, squares []float64 }

func newPrefixSums(series []float64) prefixSums {
	sums := prefixSums{make([]float64, len(series)+1), make([]float64, len(series)+1)}
	for i, value := range series {
		sums.values[i+1] = sums.values[i] + value
		sums.squares[i+1] = sums.squares[i] + value*value
	}
	return sums
}

func (s prefixSums) mean(from, to int) float64 {
	return (s.values[to] - s.values[from]) / float64(to-from)
}

// cost is the sum of squared distances from the stretch's mean.
func (s prefixSums) cost(from, to int) float64 {
	sum := s.values[to] - s.values[from]
	return max(s.squares[to]-s.squares[from]-sum*sum/float64(to-from), 0)
}

// noiseVariance estimates the variance of a series about its level. Three
// quarters of the absolute differences are below 1.627 standard deviations for
// normal noise (sqrt 2 times the normal's 1.1503); the upper quartile rather
// than the median, because the faster stretches of a series are the noisier.
func noiseVariance(series []float64) float64 {
	floor := noiseFloor * math.Abs(Median(series))
	if len(series) < 3 {
		return max(floor*floor, math.SmallestNonzeroFloat64)
	}
	differences := make([]float64, len(series)-1)
	for i := range differences {
		differences[i] = math.Abs(series[i+1] - series[i])
	}
	sort.Float64s(differences)
	deviation := max(differences[len(differences)*3/4]/(math.Sqrt2*1.1503), floor)
	return max(deviation*deviation, math.SmallestNonzeroFloat64)
}

// Median of a series; 0 for an empty one. The series is left as it is.
func Median(series []float64) float64 {
	switch len(series) {
	case 0:
		return 0
	case 1: // very many figures are of one pass
		return series[0]
	}
	sorted := append([]float64(nil), series...)
	sort.Float64s(sorted)
	middle := len(sorted) / 2
	if len(sorted)%2 == 1 {
		return sorted[middle]
	}
	return (sorted[middle-1] + sorted[middle]) / 2
}
