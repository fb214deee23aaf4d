// Package examples carries the demo bench inside of the program.
package examples

import _ "embed"

// Bench is the demo's bench book.
//
//go:embed bench.yaml
var Bench []byte

// BenchName is what messages call it.
const BenchName = "examples/bench.yaml"
