package unit_test

import (
	"fmt"

	"opengauge/core/unit"
)

// Sizes say whether they are binary or decimal, and bits are not taken for bytes.
func ExampleParseBytes() {
	for _, text := range []string{"4KiB", "500 GB", "10Gb"} {
		size, err := unit.ParseBytes(text)
		fmt.Println(int64(size), err)
	}
	// Output:
	// 4096 <nil>
	// 500000000000 <nil>
	// 0 "10Gb" could be read as bits; write bytes, like 4KiB, 1MiB or 500GB
}

// A throughput is the same in whatever notation it is written.
func ExampleNotation() {
	rate := unit.BytesPerSecond(125e6)
	for _, n := range []unit.Notation{unit.Decimal, unit.Binary, unit.Bits} {
		fmt.Println(n.Rate(rate))
	}
	// Output:
	// 125 MB/s
	// 119 MiB/s
	// 1 Gbit/s
}
