package figure

import (
	"math"
)

// Top gives a round number at or above value for the top of an axis that
// starts at zero: 1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6 or 8 times a power of ten.
func Top(value float64) float64 {
	if value <= 0 || math.IsInf(value, 0) || math.IsNaN(value) {
		return 1
	}
	power := math.Pow(10, math.Floor(math.Log10(value)))
	for _, step := range []float64{1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10} {
		if step*power >= value*(1-1e-9) {
			return step * power
		}
	}
	return 10 * power
}

// ThroughputTop is the top of the trace's throughput axis: room for the
// fastest sample, and for the ceiling where that is not far above it.
func (h HeatTrace) ThroughputTop() float64 {
	most := 0.0
	for _, point := range h.Throughput.Points {
		most = math.Max(most, point.Value)
	}
	if h.ShowsCeiling() {
		most = math.Max(most, h.Ceiling.Value)
	}
	return Top(most * 1.05)
}

// ShowsCeiling says whether the ceiling is close enough to what was measured to
// be drawn without pressing the curve to the floor.
func (h HeatTrace) ShowsCeiling() bool {
	if h.Ceiling == nil {
		return false
	}
	most := 0.0
	for _, point := range h.Throughput.Points {
		most = math.Max(most, point.Value)
	}
	return most > 0 && h.Ceiling.Value <= 4*most
}

// TemperatureTop is the top of the trace's temperature axis.
func (h HeatTrace) TemperatureTop() float64 {
	most := 0.0
	for _, line := range h.Temperatures {
		for _, point := range line.Points {
			most = math.Max(most, point.Value)
		}
	}
	return 10 * math.Ceil(math.Max(most, 20)/10)
}
