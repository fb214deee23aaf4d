package load_test

import (
	"fmt"

	"opengauge/core/load"
	"opengauge/core/unit"
)

// Loads are values: they compare with ==, and read back from their names.
func ExampleParse() {
	l, err := load.Parse("read random 4 KiB, depth 32, 2 workers")
	fmt.Println(l, err)
	fmt.Println(l.Outstanding(), "operations under way")
	_, err = load.Parse("read random 4 KiB")
	fmt.Println(err)
	// Output:
	// read random 4 KiB, depth 32, 2 workers <nil>
	// 64 operations under way
	// "read random 4 KiB" is not a load; write one like "read random 4 KiB, depth 32"
}

// What older records leave out counts as the usual.
func ExampleLoad_Identity() {
	old := load.Load{Operation: load.Write, Access: load.Random, Block: 4 * unit.KiB}
	fmt.Println(old.Identity() == load.New(load.Write, load.Random, 4*unit.KiB, 1))
	// Output: true
}

// A registry holds all that a load may ask for besides.
func ExampleDimension() {
	l := load.New(load.Write, load.Sequential, unit.MiB, 8)
	for _, d := range load.Dimensions {
		if d.Key == "durable" {
			fmt.Println(d.Ask(&l, "yes"))
		}
	}
	fmt.Println(l)
	// Output:
	// <nil>
	// write sequential 1 MiB, depth 8, durable
}
