package stat

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"
)

// SteadyState is the judgement of the last rounds of a sustained load.
type SteadyState struct {
	// Mean of the window's rounds, in their unit.
	Mean float64 `json:"mean"`
	// RangeShare is the difference of its highest and lowest round, and
	// SlopeShare the rise of the line that fits it best from its first round to
	// its last, both as shares of the mean.
	RangeShare float64 `json:"range_share"`
	SlopeShare float64 `json:"slope_share"`
	Steady     bool    `json:"steady"`
	// Rounds is how many there were.
	Rounds int `json:"rounds"`
}

// Criteria of a steady state (SNIA Solid State Storage Performance Test
// Specification, 2.0.2, "steady state"): over a window of five rounds the range
// is within 20% of the mean and the fitted line's excursion within 10%.
const (
	steadyWindow = 5
	mostRange    = 0.20
	mostSlope    = 0.10
)

// Steady judges the last five rounds; false where there are fewer.
func Steady(rounds []float64) (SteadyState, bool) {
	if len(rounds) < steadyWindow {
		return SteadyState{}, false
	}
	window := rounds[len(rounds)-steadyWindow:]
	times := []float64{0, 1, 2, 3, 4}
	_, slope := stat.LinearRegression(times, window, nil, false)
	state := SteadyState{Mean: stat.Mean(window, nil), Rounds: len(rounds)}
	if state.Mean <= 0 {
		return state, true
	}
	state.RangeShare = (slices.Max(window) - slices.Min(window)) / state.Mean
	state.SlopeShare = math.Abs(slope) * (steadyWindow - 1) / state.Mean
	state.Steady = state.RangeShare <= mostRange && state.SlopeShare <= mostSlope
	return state, true
}
