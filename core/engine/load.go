// Package engine runs one pass: it keeps a queue at its depth, times every
// operation, and cuts what it sees into samples. It knows queues and blocks,
// not drives, plans or sessions.
package engine

import (
	"errors"
	"fmt"
	"time"

	"opengauge/core/target"
	"opengauge/core/unit"
)

// Load is what a pass asks of the storage.
type Load struct {
	Action target.Action // Read or Write
	Random bool
	Block  unit.Bytes
	Depth  int
	// Span is the part of the target that is touched, from offset 0.
	Span unit.Bytes
	// Seed is what random offsets and data are drawn from.
	Seed uint64
}

// Timing is when a pass counts and when it ends.
type Timing struct {
	// Settle is how long the pass runs before it counts.
	Settle time.Duration
	// Hold is how long the pass counts. 0 leaves the end to Bytes.
	Hold time.Duration
	// Bytes ends the pass once that many were submitted. 0 leaves it to Hold.
	Bytes unit.Bytes
	// Sample is the length of a sample.
	Sample time.Duration
}

// Watch is what looks on while a pass runs. Both functions may be nil. They are
// called between operations and must return at once.
type Watch struct {
	// Temperatures are read at the end of each sample.
	Temperatures func() map[string]unit.Celsius
	// Progress is told several times a second how far the pass is.
	Progress func(Progress)
}

// Progress is how far a pass is.
type Progress struct {
	Counting bool
	// Elapsed is since the pass began to count, or to settle.
	Elapsed time.Duration
	Bytes   unit.Bytes
	// Rate is the throughput since the last report.
	Rate unit.BytesPerSecond
}

func (l Load) check() error {
	switch {
	case l.Action != target.Read && l.Action != target.Write:
		return errors.New("a pass reads or writes; it cannot consist of flushes")
	case l.Block <= 0:
		return fmt.Errorf("block size %d is not positive", l.Block)
	case l.Depth < 1:
		return fmt.Errorf("depth %d is below 1", l.Depth)
	case l.Span < l.Block:
		return fmt.Errorf("the span of %s is below one block of %s", l.Span, l.Block)
	}
	return nil
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
