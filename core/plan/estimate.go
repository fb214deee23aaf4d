package plan

import (
	"fmt"
	"time"

	"opengauge/core/load"
	"opengauge/core/unit"
)

// Estimate is the expected cost of running a plan. Filling a test file and flushing come on top.
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
	// FillShare is how full the target is brought, and Over how often all of it is written besides; the bytes
	// depend on the target.
	FillShare, Over float64
	// BoundedBytes is the bytes of passes that end at a number of bytes.
	BoundedBytes unit.Bytes
}

// tally is an estimate being added up. Of an adaptive grid only a share is
// measured, so that its passes are counted in parts.
type tally struct {
	Estimate
	passes            int
	measured, writing float64
}

// Estimate adds up the items.
func (p Plan) Estimate(hold time.Duration) Estimate {
	var total tally
	for _, item := range p.Program(hold) {
		item.estimate(&total)
	}
	whole := func(sum float64) int { return int(sum + 1e-9) } // its last bits may be off
	total.Passes, total.WritePasses = whole(total.measured), whole(total.writing)
	total.FilledIn = total.passes - total.Passes
	return total.Estimate
}

func (p Pass) estimate(total *tally) { total.pass(p, 1) }

// pass adds a pass of which a share is measured.
func (t *tally) pass(p Pass, share float64) {
	t.passes++
	t.measured += share
	t.Over += p.Times * p.WriteShare
	t.Open = t.Open || p.Open()
	t.Elapsed += time.Duration(float64(p.Time()) * share)
	if !p.Writes() {
		return
	}
	t.writing += share
	switch {
	case p.Times > 0: // in Over
	case p.Bytes > 0:
		t.BoundedBytes += unit.Bytes(float64(p.Bytes) * p.WriteShare * share)
	default:
		t.Writing += time.Duration(float64(p.Time()) * p.WriteShare * share)
	}
}

// Written is how much the plan writes to a span of storage that takes writes at
// a rate, fills aside.
func (e Estimate) Written(rate unit.BytesPerSecond, span unit.Bytes) unit.Bytes {
	return e.BoundedBytes + unit.Bytes(e.Writing.Seconds()*float64(rate)+e.Over*float64(span))
}

// CheckSpan says whether every pass fits into a span of that many bytes, on
// storage that takes only multiples of a smallest block; 0 is not known.
func (p Plan) CheckSpan(span, smallest unit.Bytes) error {
	for _, pass := range p.Passes(DefaultHold) {
		if _, err := pass.Area(load.Geometry{Length: span, Alignment: smallest}); err != nil {
			return fmt.Errorf("%s: %w", pass.Label(), err)
		}
		if memory := pass.Block * unit.Bytes(pass.Outstanding()); memory > mostMemory {
			return fmt.Errorf("%s, %d workers needs %s of memory for its buffers, more than %s; use a smaller "+
				"depth or block",
				pass.Label(), pass.Workers, memory.Capacity(), mostMemory)
		}
	}
	return nil
}

// mostMemory is the most memory of the buffers of one pass.
const mostMemory = 4 * unit.GiB
