// Package engine runs one pass: it keeps queues at their depth, times every operation, and cuts the results
// into samples. It knows queues and blocks, not drives, plans or sessions.
//
// [Run] drives each queue on a thread of its own, and counts without locks: the workers' counts are put
// together as they end. A pass belongs to the goroutine that runs it.
package engine

import (
	"errors"
	"fmt"
	"time"

	"opengauge/core/load"
	"opengauge/core/unit"
)

// Request is one pass to be run: a load, the part of the target that it touches,
// and when it counts and ends.
type Request struct {
	load.Load
	// Area is the part of the target that the load touches.
	Area load.Area
	// Ledger stamps writes and checks reads, if it is not nil. Its cell is the area's. A mixed load's reads
	// are not checked: a read may meet a write of the same place.
	Ledger *Ledger
	// Written remembers where the pass wrote, if it is not nil.
	Written *Written
	// Seed is the start of random offsets and data.
	Seed   uint64
	Timing Timing
	Watch  Watch
}

// Timing is when a pass counts and when it ends.
type Timing struct {
	// Settle is how long the pass runs before it counts.
	Settle time.Duration
	// Hold is how long the pass counts at the most. 0 leaves the end to Bytes.
	Hold time.Duration
	// Bytes ends the pass once that many were submitted. 0 leaves it to Hold.
	Bytes unit.Bytes
	// Within ends the pass once its throughput is known to within that share,
	// by a 95% interval. 0 leaves the end to the others.
	Within float64
	// Round ends the pass once it is in a steady state, judged over rounds of
	// that length; 0 does not.
	Round time.Duration
	// Sample is the length of a sample.
	Sample time.Duration
	// Tolerate is how many failed operations a worker bears before it gives up; 0
	// is the usual number.
	Tolerate int64
	// Stall is how long an operation may be under way before that is told; 0 is
	// never.
	Stall time.Duration
	// Abandon is for how long nothing may come back, while operations are under way,
	// before the pass ends with [ErrStuck]; a flush may take four times as long. 0 is for
	// ever.
	Abandon time.Duration
}

// Watch observes a pass while it runs. Each function may be nil. They are called between operations and must
// return at once.
type Watch struct {
	// Sense is read at the end of each sample.
	Sense func() Senses
	// Sample is told of each sample once it is whole; the pass ends when it says that
	// that is enough.
	Sample func(Sample) (enough bool)
	// Progress is told several times a second how far the pass is.
	Progress func(Progress)
	// Stall is told when an operation has been under way for too long, and
	// again when none is any more. Workers call it at the same time.
	Stall func(Stall)
}

// Senses are the readings beside the figures of a sample.
type Senses struct {
	Temperatures map[string]unit.Celsius
	// Readings are of other sensors, by names that end in their unit.
	Readings map[string]float64
}

// Stall says that the storage does not answer, or that it does again.
type Stall struct {
	// At is when the oldest operation under way was submitted, or when the
	// storage answered again.
	At time.Duration
	// Offset of that operation, in bytes, or below zero if it is a flush. When the storage answers again it
	// is the offset of the stalled operation.
	Offset int64
	Over   bool
}

// Progress is how far a pass is.
type Progress struct {
	Counting bool
	// Flushing is set while written data is made stable.
	Flushing bool
	// Elapsed is since the pass began to count, to settle, or to flush.
	Elapsed time.Duration
	Bytes   unit.Bytes
	// Rate is the throughput since the last report.
	Rate unit.BytesPerSecond
}

func (r Request) check() error {
	workers := max(r.Workers, 1)
	switch {
	case !(r.WriteShare >= 0 && r.WriteShare <= 1):
		return fmt.Errorf("write share %v is not between 0 and 1", r.WriteShare)
	case !(r.CompressibleShare >= 0 && r.CompressibleShare <= 1):
		return fmt.Errorf("compressible share %v is not between 0 and 1", r.CompressibleShare)
	case !(r.Rate >= 0 && r.Rate <= 1e9):
		return fmt.Errorf("a rate of %v operations a second is more than any device can have", r.Rate)
	case r.Area.Block() != r.Block:
		return fmt.Errorf("an area of blocks of %s is not one for blocks of %s", r.Area.Block(), r.Block)
	case r.Depth < 1:
		return fmt.Errorf("depth %d is below 1", r.Depth)
	case r.Area.Count() < int64(workers):
		return &load.SpanError{Span: r.Area.Length(), Block: r.Block, Workers: workers}
	case r.Ledger != nil && r.Area.Cell() != r.Ledger.Cell():
		return fmt.Errorf("an area in cells of %s is not one for a ledger in cells of %s", r.Area.Cell(), r.Ledger.Cell())
	}
	return r.Timing.check()
}

func (t Timing) check() error {
	if t.Hold <= 0 && t.Bytes <= 0 {
		return errors.New("a pass needs a time or a number of bytes to end at")
	}
	if t.Sample <= 0 {
		return fmt.Errorf("sample length %s is not positive", t.Sample)
	}
	return nil
}
