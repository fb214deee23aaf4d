package plan_test

import (
	"fmt"
	"strings"
	"time"

	"opengauge/core/plan"
)

// A plan is a list of steps; a sweep crosses its lists.
func ExampleParse() {
	p, err := plan.Parse("porthole.yaml", []byte(`
plan: porthole-check
steps:
  - sweep: {operation: [read, write], access: random, block: 4KiB, depth: [1, 32], hold: 5s}
  - rest: {for: 1m}
`))
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, pass := range p.Passes(time.Second) {
		fmt.Println(pass.Label())
	}
	fmt.Println(p.Estimate(time.Second).Elapsed.Round(time.Second), "at the most")
	// Output:
	// read random 4 KiB, depth 1
	// read random 4 KiB, depth 32
	// write random 4 KiB, depth 1
	// write random 4 KiB, depth 32
	// 1m22s at the most
}

// What a plan gets wrong is said with its place, and what was meant.
func ExampleParse_mistake() {
	_, err := plan.Parse("porthole.yaml", []byte("plan: porthole\nsteps:\n  - sweep: {operation: read, depht: 4}\n"))
	said, _, _ := strings.Cut(err.Error(), "?")
	fmt.Println(said)
	// Output:
	// porthole.yaml:3:30: unknown key "depht"; did you mean "depth"
}
