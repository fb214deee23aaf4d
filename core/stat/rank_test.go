package stat

import (
	"math"
	"testing"
)

func TestRankCorrelation(t *testing.T) {
	cases := []struct {
		a, b []float64
		want float64
	}{
		{[]float64{1, 2, 3, 4}, []float64{10, 100, 1000, 10000}, 1},
		{[]float64{1, 2, 3, 4}, []float64{9, 7, 3, 1}, -1},
		{[]float64{1, 1, 2, 2}, []float64{5, 5, 9, 9}, 1},
		{[]float64{1, 2, 3}, []float64{5, 5, 5}, 0},
		{[]float64{1}, []float64{1}, 0},
		{[]float64{1, 2, 3, 4}, []float64{2, 1, 4, 3}, 0.6},
	}
	for i, c := range cases {
		if got := RankCorrelation(c.a, c.b); !(math.Abs(got-c.want) <= 1e-9) {
			t.Errorf("case %d: %v, want %v", i, got, c.want)
		}
	}
}
