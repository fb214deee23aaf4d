package plan

import (
	"fmt"
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

// Estimate is what running a plan will take. Filling a test file and flushing
// come on top.
type Estimate struct {
	Passes int
	// Elapsed is at the most: passes that end at a number of bytes, or when
	// enough is known, end before.
	Elapsed time.Duration
	// WritePasses is how many of the passes write, and Writing how long.
	WritePasses int
	Writing     time.Duration
	// BoundedBytes is what those write that end at a number of bytes.
	BoundedBytes unit.Bytes
}

// Estimate adds up the passes.
func (p Plan) Estimate(hold time.Duration) Estimate {
	var total Estimate
	for _, pass := range p.Passes(hold) {
		total.Passes++
		total.Elapsed += pass.Hold + pass.Settle()
		if !pass.Operation.Writes() {
			continue
		}
		total.WritePasses++
		if pass.Bytes > 0 {
			total.BoundedBytes += unit.Bytes(float64(pass.Bytes) * pass.WriteShare)
		} else {
			total.Writing += time.Duration(float64(pass.Hold+pass.Settle()) * pass.WriteShare)
		}
	}
	return total
}

// Written is how much the plan writes to storage that takes writes at a rate.
func (e Estimate) Written(rate unit.BytesPerSecond) unit.Bytes {
	return e.BoundedBytes + unit.Bytes(e.Writing.Seconds()*float64(rate))
}

// CheckSpan says whether every pass fits into a span of that many bytes, on
// storage that takes only multiples of a smallest block; 0 is not known.
func (p Plan) CheckSpan(span, smallest unit.Bytes) error {
	for _, pass := range p.Passes(DefaultHold) {
		if smallest > 0 && pass.Block%smallest != 0 {
			return fmt.Errorf("%s: the storage takes only multiples of %s; use a plan with larger blocks", pass.Label(), smallest)
		}
		touched := span
		if pass.Span > 0 {
			touched = min(pass.Span, span)
		}
		if needed := pass.Block * unit.Bytes(pass.Workers); touched < needed {
			return &SpanError{Span: touched, Block: pass.Block, Workers: pass.Workers}
		}
		if memory := pass.Block * unit.Bytes(pass.Depth) * unit.Bytes(pass.Workers); memory > mostMemory {
			return fmt.Errorf("%s, %d workers needs %s of memory for its buffers, more than %s; use a smaller depth or block",
				pass.Label(), pass.Workers, memory.Capacity(), mostMemory)
		}
	}
	return nil
}

// mostMemory is what the buffers of one pass may take.
const mostMemory = 4 * unit.GiB

// SpanError says that the part of the target to be touched is smaller than a
// block of the plan for each worker.
type SpanError struct {
	Span, Block unit.Bytes
	Workers     int
}

func (e *SpanError) Error() string {
	each := ""
	if e.Workers > 1 {
		each = fmt.Sprintf(" for each of %d workers", e.Workers)
	}
	return fmt.Sprintf("the size to measure on, %s, is below one block of the plan, %s%s; give a larger --size or a plan with smaller blocks",
		e.Span, e.Block, each)
}
