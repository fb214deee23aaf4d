package stat

import (
	"math"
	"testing"
)

func TestFairness(t *testing.T) {
	for _, c := range []struct {
		got  []float64
		want float64
	}{
		{nil, 0}, {[]float64{0, 0}, 0}, {[]float64{5}, 1}, {[]float64{3, 3, 3}, 1}, {[]float64{8, 0, 0, 0}, 0.25},
		{[]float64{40, 40, 20, 20}, 0.9},
	} {
		if got := Fairness(c.got); !(math.Abs(got-c.want) <= 1e-12) {
			t.Errorf("of %v it is %v, want %v", c.got, got, c.want)
		}
	}
}

func TestMiddle(t *testing.T) {
	for _, c := range []struct {
		of   []string
		want string
	}{
		{[]string{"ebb"}, "ebb"}, {[]string{"seven", "a"}, "a"}, {[]string{"seven", "ebb", "a"}, "ebb"},
		{[]string{"seven", "four", "ebb", "a"}, "ebb"}, {[]string{"x", "y", "seven"}, "y"},
	} {
		name := c.of[0]
		if got := Middle(c.of, func(s string) int { return len(s) }); got != c.want {
			t.Errorf("of %s and others it is %q, want %q", name, got, c.want)
		}
	}
}
