package stat

import (
	"slices"

	"gonum.org/v1/gonum/stat"
)

// RankCorrelation is Spearman's: how far two series rise together, whatever the
// form, from -1 to 1. Ties get their mean rank. It is 0 where one does not vary.
func RankCorrelation(a, b []float64) float64 {
	if len(a) < 2 || slices.Min(a) == slices.Max(a) || slices.Min(b) == slices.Max(b) {
		return 0
	}
	return stat.Correlation(ranks(a), ranks(b), nil)
}

// ranks gives each figure its place in the order, from 0.
func ranks(values []float64) []float64 {
	order := make([]int, len(values))
	for k := range order {
		order[k] = k
	}
	slices.SortFunc(order, func(i, j int) int {
		switch {
		case values[i] < values[j]:
			return -1
		case values[i] > values[j]:
			return 1
		}
		return 0
	})
	places := make([]float64, len(values))
	for from := 0; from < len(order); {
		to := from
		for to < len(order) && values[order[to]] == values[order[from]] {
			to++
		}
		for _, at := range order[from:to] {
			places[at] = float64(from+to-1) / 2
		}
		from = to
	}
	return places
}
