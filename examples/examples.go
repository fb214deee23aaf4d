// Package examples carries the demo inside of the program: its bench book, and its review
// with the plan of that.
package examples

import "embed"

// Bench is the demo's bench book.
//
//go:embed bench.yaml
var Bench []byte

// BenchName is what messages call it.
const BenchName = "examples/bench.yaml"

// Review has the demo's review and the plan that it names.
//
//go:embed reviews/deck.yaml reviews/deck-day.yaml
var Review embed.FS

// ReviewName is the review in it.
const ReviewName = "reviews/deck.yaml"
