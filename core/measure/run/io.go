package run

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/measure/engine"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// desk is a target that a run works on, with the state of its data: the ledger, if it is verified, and how
// far it was filled.
type desk struct {
	target.Target
	address string
	ledger  *engine.Ledger // or nil
	written *engine.Written
	// filling says that a step fills the target, and filledTo how far a device
	// was written for that.
	filling  bool
	filledTo unit.Bytes
	// readBack is how many cells were read back at the end.
	readBack int64
	*account
}

// work is one stretch of I/O that a run does.
type work struct {
	load.Load
	area   load.Area
	timing engine.Timing
	// seed tells the offsets and data of one work from another's.
	seed int
	told func(engine.Progress)
	// sampled is told of each sample and says whether that is enough; it may be nil.
	sampled func(engine.Sample) bool
}

// do is the only way from a run to a queue: passes, filling, levels of a fill,
// reading back and contending loads all go through it, so that each has the ledger,
// the watch for room and for stalls, and the sensors beside its samples.
func (r *runner) do(ctx context.Context, d *desk, w work) (engine.Result, error) {
	if d.ledger != nil {
		d.ledger.Begin()
	}
	if w.timing.Sample == 0 {
		w.timing.Sample = r.request.Sample
	}
	w.timing.Stall = r.request.StallAfter
	if r.request.StallAfter > 0 && r.request.ReturnWithin > 0 {
		w.timing.Abandon = r.request.StallAfter + r.request.ReturnWithin
	}
	guard, end := guarded(ctx, d.Target, w.Writes())
	defer end()
	result, err := engine.Run(guard, d.Target, engine.Request{
		Load: w.Load, Area: w.area, Ledger: d.ledger, Written: d.written,
		Seed: newSeed(r.session, w.seed), Timing: w.timing,
		Watch: engine.Watch{Sense: r.sense, Sample: w.sampled, Progress: w.told, Stall: r.stallOf(d)},
	})
	d.enter(result.Moved)
	return result, target.Explain(errors.Join(err, outOfRoom(ctx, guard)))
}

// account is all that was read from a target and written to it. Members of a
// contention are entered at once.
type account struct {
	mutex sync.Mutex
	moved engine.Moved
}

func (a *account) enter(moved engine.Moved) {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	a.moved.Read += moved.Read
	a.moved.Written += moved.Written
}

// newDesk gives the desk of a target of the request.
func (r Request) newDesk(on target.Target, address string) desk {
	d := desk{Target: on, address: address, written: &engine.Written{}, account: &account{}}
	if r.Verify {
		whole := d.geometry(0, on.Description().Span)
		whole.Cell = r.cell()
		d.ledger = engine.NewLedger(whole, ledgerNumber(r.ID+on.Description().Address))
	}
	return d
}

// holds reads the last block of the target, if that was there before the run: storage
// that says that it holds more than it does fails there, before anything is measured.
func (r *runner) holds(ctx context.Context) error {
	d := r.main.Description()
	block := max(d.SmallestBlock, load.SmallestBlock, r.main.ledger.Cell())
	if d.Kind != target.Device && d.Kind != target.Volume || d.Span < block {
		return nil
	}
	last := (d.Span/block - 1) * block
	works, err := onceOver(load.Read, r.main.geometry(last, last+block), block)
	if err != nil {
		return err
	}
	if err := r.whole(ctx, &r.main, works[0]); err != nil {
		return fmt.Errorf("%s says that it holds %s, and its block at byte %d cannot be read: %w; give a smaller --size, "+
			"or do not trust it", d.Address, d.Capacity.Capacity(), last, err)
	}
	return nil
}

// whole does the work and takes a failed operation for a failure of all of it.
func (r *runner) whole(ctx context.Context, d *desk, w work) error {
	result, err := r.do(ctx, d, w)
	if result.FirstError != nil {
		err = errors.Join(result.FirstError, err)
	}
	return target.Explain(err)
}

// fillBlock and fillDepth are how storage is filled and read back: large blocks,
// enough of them under way to keep any device busy.
const (
	fillBlock = unit.MiB
	fillDepth = 8
)

// onceOver returns the work that goes once over a stretch of a target in order, in blocks of a size and one
// smaller block at the end.
func onceOver(operation load.Operation, g load.Geometry, block unit.Bytes) ([]work, error) {
	areas, err := g.Tile(block)
	if err != nil {
		return nil, err
	}
	works := make([]work, len(areas))
	for i, area := range areas {
		works[i] = work{
			Load:   load.New(operation, load.Sequential, area.Block(), int(min(fillDepth, area.Count()))),
			area:   area,
			timing: engine.Timing{Bytes: area.Length(), Sample: SampleLength},
		}
	}
	return works, nil
}

// geometry returns a stretch of the target with the rules for requests in it.
func (d *desk) geometry(from, to unit.Bytes) load.Geometry {
	return load.Geometry{Start: from, Length: to - from, Alignment: d.Description().SmallestBlock, Cell: d.ledger.Cell()}
}

// compressible is the compressible share of filling data: the first load's that has one, so that a level is
// made of the data that is measured on it.
func (r Request) compressible() float64 {
	for _, pass := range r.Plan.Passes(r.Hold) {
		if pass.CompressibleShare > 0 {
			return pass.CompressibleShare
		}
	}
	return 0
}

// seedFilling is the number of filling works, before the first pass.
const seedFilling = -1

// cover writes a stretch of a target once. The progress that is told counts from the
// target's start; told may be nil.
func (r *runner) cover(ctx context.Context, d *desk, from, to unit.Bytes, told func(engine.Progress)) error {
	works, err := onceOver(load.Write, d.geometry(from, to), fillBlock)
	if err != nil {
		return err
	}
	for _, w := range works {
		w.seed = seedFilling
		w.CompressibleShare = r.request.compressible()
		if told != nil {
			w.told = func(p engine.Progress) {
				p.Bytes += w.area.Start()
				told(p)
			}
		}
		if err := r.whole(ctx, d, w); err != nil {
			return err
		}
	}
	return nil
}

// sense reads the sensors for a sample.
func (r *runner) sense() engine.Senses {
	return engine.Senses{Temperatures: r.request.Sensors.Temperatures(), Readings: r.request.Sensors.Readings()}
}

// readLinks gives the links' states and counters, or nil where nobody looks.
func (r *runner) readLinks() *link.Reading {
	if r.request.Links == nil {
		return nil
	}
	reading := r.request.Links.Reading()
	return &reading
}

// pause lets time pass on the target's clock.
func (r *runner) pause(ctx context.Context, stretch time.Duration) {
	if virtual, ok := r.main.Target.(target.Sleeper); ok {
		virtual.Sleep(stretch)
		return
	}
	select {
	case <-ctx.Done():
	case <-time.After(stretch):
	}
}

// newSeed gives each work its own offsets and data: the same for the same seed of a
// simulated part, different on every real run.
func newSeed(s *session.Session, number int) uint64 {
	seed := s.Target.Seed
	if !s.Simulated {
		for _, letter := range []byte(s.ID) {
			seed = seed*31 + uint64(letter)
		}
	}
	return seed*0x9e3779b97f4a7c15 + uint64(number+2)
}
