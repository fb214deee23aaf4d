package stat_test

import (
	"fmt"

	"opengauge/core/stat"
)

// A series is cut where its mean changes.
func ExampleSegments() {
	var series []float64
	for i := range 60 {
		level := 900.0
		if i >= 40 {
			level = 310
		}
		series = append(series, level+float64(i%3))
	}
	for _, s := range stat.Segments(series, 5) {
		fmt.Println(s)
	}
	// Output:
	// {0 40 900.975}
	// {40 60 311.05}
}
