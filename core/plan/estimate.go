package plan

import (
	"time"

	"opengauge/core/unit"
)

// ShortestHold is the shortest pass that is worth starting.
const ShortestHold = 10 * time.Millisecond

// longestSettle bounds how long a pass runs before it counts.
const longestSettle = 500 * time.Millisecond

// Settle is how long the pass runs before it counts, so that queues are full
// and the first operations are behind it: a tenth of its time, at most 0.5 s.
func (p Pass) Settle() time.Duration {
	return min(p.Hold/10, longestSettle)
}

// Estimate is what running a plan will take.
type Estimate struct {
	Passes int
	// Elapsed counts the passes and their settling; filling a test file and
	// flushing come on top.
	Elapsed time.Duration
	// WritePasses is how many of the passes write.
	WritePasses int
}

// Estimate adds up the passes.
func (p Plan) Estimate(hold time.Duration) Estimate {
	var total Estimate
	for _, pass := range p.Passes(hold) {
		total.Passes++
		total.Elapsed += pass.Hold + pass.Settle()
		if pass.Operation.Writes() {
			total.WritePasses++
		}
	}
	return total
}

// CheckSpan says whether every pass fits into a span of that many bytes.
func (p Plan) CheckSpan(span unit.Bytes) error {
	if largest := p.LargestBlock(); span < largest {
		return &SpanError{Span: span, Block: largest}
	}
	return nil
}

// SpanError says that the part of the target to be touched is smaller than a
// single block of the plan.
type SpanError struct{ Span, Block unit.Bytes }

func (e *SpanError) Error() string {
	return "the size to measure on, " + e.Span.String() + ", is below one block of the plan, " + e.Block.String() +
		"; give a larger --size or a plan with smaller blocks"
}
