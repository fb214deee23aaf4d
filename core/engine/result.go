package engine

import (
	"time"

	"opengauge/core/unit"
)

// Result is what a pass measured. Times are on the target's clock.
type Result struct {
	// Started is when the pass began to count.
	Started time.Duration
	// Elapsed is how long it counted: for writes, to the end of the flush.
	Elapsed time.Duration
	// Flush is how much of Elapsed the final flush took.
	Flush      time.Duration
	Bytes      unit.Bytes
	Operations int64
	Errors     int64
	// FirstError is the first failure that an operation met, or nil.
	FirstError error
	// Processor is the processor time used while the pass counted.
	Processor time.Duration
	Latency   Latency
	Samples   []Sample
	// CutShort says that the pass was stopped before its end.
	CutShort bool
}

// Latency sums up how long operations took.
type Latency struct {
	MeanSeconds float64
	P50Seconds  float64
	P90Seconds  float64
	P99Seconds  float64
	P999Seconds float64
	MaxSeconds  float64
}

// Sample is what one interval of a pass saw.
type Sample struct {
	// At is the end of the interval, since the pass began to count.
	At time.Duration
	// Elapsed is the length of the interval.
	Elapsed      time.Duration
	Bytes        unit.Bytes
	Operations   int64
	Errors       int64
	P50Seconds   float64
	P99Seconds   float64
	Temperatures map[string]unit.Celsius
}
