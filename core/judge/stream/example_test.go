package stream_test

import (
	"fmt"

	"opengauge/core/judge/stream"
	"opengauge/core/unit"
)

// A stall that an average hides: the buffer has to hold what comes meanwhile.
func ExampleCarry() {
	series := []stream.Stretch{{Seconds: 10, Rate: 500e6}, {Seconds: 2, Rate: 0}, {Seconds: 10, Rate: 500e6}}
	film := stream.Stream{Name: "film", Rate: 200e6, Buffer: 300 * unit.MB}
	o := stream.Carry(stream.Series{Recorded: series}, film, 1)
	fmt.Printf("carried %v, until %.1f s; a buffer of %s would do\n", o.Carried, o.UntilSeconds, o.BufferNeeded.Decimal())
	// Output:
	// carried false, until 11.5 s; a buffer of 400 MB would do
}
