package unit

import (
	"math"
	"testing"
)

// Numbers are written with the digits that are known, and no exponent.
func TestDigits(t *testing.T) {
	for _, c := range []struct {
		value  float64
		digits int
		want   string
	}{
		{3000, 2, "3\u00a0000"}, {86_400, 3, "86\u00a0400"}, {41.83, 3, "41.8"}, {999.4, 3, "999"}, {999.6, 3, "1\u00a0000"},
		{0.052, 2, "0.052"}, {999.6, 4, "999.6"}, {1234.5, 6, "1\u00a0235"},
		{0, 3, "0"}, {-12.34, 3, "−12.3"}, {-4500, 2, "−4\u00a0500"}, {1e-7, 3, "under 0.0001"}, {123, 2, "123"},
		{math.Inf(1), 3, "+Inf"},
	} {
		if got := Digits(c.value, c.digits); got != c.want {
			t.Errorf("Digits(%v, %d) = %q, want %q", c.value, c.digits, got, c.want)
		}
	}
}

func TestCounts(t *testing.T) {
	for got, want := range map[string]string{
		Count(1, "line"): "1 line", Count(0, "line"): "0 lines", Count(2, "pass", "passes"): "2 passes",
		Count(1, "pass", "passes"): "1 pass", Count(12_345, "operation"): "12\u00a0345 operations",
		Price(213): "213", Price(12.5): "12.50", Price(1450): "1\u00a0450",
		Given(0.05): "5 %", Given(0.125): "12.5 %",
		Sure(1): "more than 99 %", Sure(0.99): "more than 99 %", Sure(0.9899): "at least 98 %", Sure(0.9555): "at least 95 %",
		Sure(0.5): "at least 50 %", Stretch(0.42): "0.42 s", Stretch(12.34): "12.3 s", Stretch(3600): "1 h 00 min",
		Stretch(179.9): "180 s",
	} {
		if got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}
