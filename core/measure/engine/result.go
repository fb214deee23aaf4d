package engine

import (
	"time"

	"opengauge/core/stat"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Result is the outcome of a pass. Times are on the target's clock.
type Result struct {
	// Queue names the carrier of the operations.
	Queue string
	// Workers and Depth are those that ran: a target that cannot be driven by
	// several threads gets their depths in one queue.
	Workers, Depth int
	// Started is when the pass began to count.
	Started time.Duration
	// Elapsed is how long it counted: for writes, to the end of the flush.
	Elapsed time.Duration
	// Flush is how much of Elapsed the final flush took.
	Flush      time.Duration
	Bytes      unit.Bytes
	Operations int64
	Errors     int64
	// Short counts the Errors of operations that moved less than their length.
	Short int64
	// Retried is how often an operation was asked again, as its call was interrupted or would have had to wait.
	Retried int64
	// Attempts counts all operations that came back; of a pass that ended while it settled, all of settling.
	Attempts int64
	// FirstError is the first failure that an operation met, or nil.
	FirstError error
	// Failures are the ways in which operations failed, the first one first.
	Failures []Failure
	// Moved is everything that was read and written, whether it counted or not.
	Moved Moved
	// CutOff is how many operations had begun, or were due, and were not over when
	// the pass stopped counting. Latency has them with their age at least; Operations
	// has them not.
	CutOff int64
	// MeanDepth is how many operations were under way at the system on average.
	MeanDepth float64
	// Lateness is by how much this program itself began operations too late, of a
	// load with a fixed rate, and Spun for how long it looked at the clock without a
	// pause so as not to: that much processor time it took.
	Lateness Lateness
	Spun     time.Duration
	// Usage is the use of host and device while the pass counted.
	Usage target.Usage
	// Throughput is the mean in bytes a second with its 95% interval, and
	// Known says whether the pass was long enough to give one.
	Throughput stat.Interval
	Known      bool
	Latency    Latency
	// Steady is the judgement of the last rounds, where the pass had enough.
	Steady  *stat.SteadyState
	Samples []Sample
	// CutShort says that the pass was stopped before its end.
	CutShort bool
}

// Moved are bytes that operations carried without an error.
type Moved struct{ Read, Written unit.Bytes }

func (m *Moved) add(action target.Action, bytes unit.Bytes) {
	if action == target.Write {
		m.Written += bytes
		return
	}
	m.Read += bytes
}

// Lateness sums up by how much operations began too late.
type Lateness struct{ P50Seconds, P99Seconds float64 }

// Latency sums up how long operations took.
type Latency struct {
	MeanSeconds float64
	P50Seconds  float64
	P90Seconds  float64
	P99Seconds  float64
	P999Seconds float64
	MaxSeconds  float64
}

// Sample is one interval of a pass.
type Sample struct {
	// At is the end of the interval, since the pass began to count.
	At time.Duration
	// Elapsed is the length of the interval.
	Elapsed    time.Duration
	Bytes      unit.Bytes
	Operations int64
	Errors     int64
	P50Seconds float64
	P99Seconds float64
	Senses
}

// joinRemainder lets a last sample that is shorter than half of the others join the one before it, so that
// its rate means something. The quantiles of the joined sample stay as in its whole part.
func joinRemainder(samples []Sample, length time.Duration) []Sample {
	count := len(samples)
	if count < 2 || samples[count-1].Elapsed >= length/2 {
		return samples
	}
	rest := samples[count-1]
	last := &samples[count-2]
	last.At = rest.At
	last.Elapsed += rest.Elapsed
	last.Bytes += rest.Bytes
	last.Operations += rest.Operations
	last.Errors += rest.Errors
	return samples[:count-1]
}
