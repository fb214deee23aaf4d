package stat

import (
	"testing"
)

func TestSteady(t *testing.T) {
	cases := []struct {
		name   string
		rounds []float64
		judged bool
		steady bool
	}{
		{"too few", []float64{100, 100, 100, 100}, false, false},
		{"flat", []float64{900, 100, 101, 99, 100, 102}, true, true},
		{"still falling", []float64{140, 130, 120, 110, 100}, true, false},
		{"falling slowly", []float64{106, 104, 101, 98, 95}, true, false},
		{"wide but level", []float64{100, 120, 95, 118, 97}, true, false},
		{"nothing moves", []float64{0, 0, 0, 0, 0}, true, false},
	}
	for _, c := range cases {
		state, judged := Steady(c.rounds)
		if judged != c.judged || state.Steady != c.steady {
			t.Errorf("%s: judged %v, %+v", c.name, judged, state)
		}
	}
}
