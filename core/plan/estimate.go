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

// Open says whether the pass ends at a number of bytes alone, so that nobody
// knows beforehand when that is.
func (p Pass) Open() bool { return p.Hold >= LongestHold && (p.Bytes > 0 || p.Times > 0) }

// Time is how long the pass takes at the most, flushing aside; 0 where nobody
// knows.
func (p Pass) Time() time.Duration {
	if p.Open() {
		return 0
	}
	return p.Hold + p.Settle()
}

// Share is the part of passes like this one that is measured: all, unless it is
// a point of an adaptive grid.
func (p Pass) Share() float64 {
	if p.Grid > 0 {
		return AdaptiveShare
	}
	return 1
}

// Estimate is what running a plan will take. Filling a test file and flushing
// come on top.
type Estimate struct {
	// Passes is how many are measured at the most.
	Passes int
	// FilledIn is how many combinations are filled in at the least, and not
	// measured.
	FilledIn int
	// Elapsed is at the most: passes that end at a number of bytes, or when
	// enough is known, end before.
	Elapsed time.Duration
	// WritePasses is how many of the passes write, and Writing how long.
	WritePasses int
	Writing     time.Duration
	// Open says that passes end at a number of bytes alone, so that more time goes
	// by than Elapsed.
	Open bool
	// FillShare is how full the target is brought, and Over how often all of it is
	// written besides; what that is in bytes depends on the target.
	FillShare, Over float64
	// BoundedBytes is what those write that end at a number of bytes.
	BoundedBytes unit.Bytes
}

// Estimate adds up the passes.
func (p Plan) Estimate(hold time.Duration) Estimate {
	var total Estimate
	var measured, writing float64
	passes := 0
	for _, item := range p.Program(hold) {
		switch {
		case item.Rest != nil:
			total.Elapsed += unit.Duration(item.Rest.ForSeconds)
		case item.Fill != nil:
			total.FillShare = max(total.FillShare, *item.Fill)
		case item.Contend != nil: // each alone, and all at once
			pass := item.Contend.Pass
			total.Elapsed += pass.Time() * time.Duration(len(item.Contend.With)+2)
			if pass.Operation.Writes() {
				total.WritePasses += len(item.Contend.With) + 2
				total.Writing += pass.Time() * 2
			}
		}
		if item.Pass == nil {
			continue
		}
		pass := *item.Pass
		passes++
		total.Over += pass.Times * pass.WriteShare
		total.Open = total.Open || pass.Open()
		share := pass.Share()
		measured += share
		total.Elapsed += time.Duration(float64(pass.Time()) * share)
		if !pass.Operation.Writes() {
			continue
		}
		writing += share
		if pass.Times > 0 {
			continue
		}
		if pass.Bytes > 0 {
			total.BoundedBytes += unit.Bytes(float64(pass.Bytes) * pass.WriteShare * share)
		} else {
			total.Writing += time.Duration(float64(pass.Time()) * pass.WriteShare * share)
		}
	}
	total.Passes, total.WritePasses = whole(measured), whole(writing)
	total.FilledIn = passes - total.Passes
	return total
}

// whole is the whole number below a sum of shares, whose last bits may be off.
func whole(sum float64) int { return int(sum + 1e-9) }

// Written is how much the plan writes to a span of storage that takes writes at
// a rate, fills aside.
func (e Estimate) Written(rate unit.BytesPerSecond, span unit.Bytes) unit.Bytes {
	return e.BoundedBytes + unit.Bytes(e.Writing.Seconds()*float64(rate)+e.Over*float64(span))
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
