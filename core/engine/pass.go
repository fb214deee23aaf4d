package engine

import (
	"context"
	"errors"
	"time"

	"opengauge/core/target"
	"opengauge/core/unit"
)

const (
	// heartbeat bounds how long the pass waits without looking up: for the
	// end, for an interrupt, to report progress.
	heartbeat = 100 * time.Millisecond
	// tolerated is how many failed operations a pass bears before it gives up.
	tolerated = 100

	forever = time.Duration(1<<63 - 1)
)

// ErrTooManyErrors says that a pass was given up because the storage kept
// failing. What it had measured is in the result.
var ErrTooManyErrors = errors.New("too many operations failed")

// Machine is what a pass runs on: a target's clock and its host.
type Machine interface {
	Now() time.Duration
	ProcessorTime() time.Duration
}

// pass is one run of the engine.
type pass struct {
	machine Machine
	queue   target.Queue
	load    Load
	timing  Timing
	watch   Watch

	offsets *offsets
	payload *payload
	// free are the slots without an operation; batch and done are reused.
	free  []int
	batch []target.Operation
	done  []target.Completion

	submitted   unit.Bytes
	outstanding int
	meter       *meter
	reporter    reporter
}

// Run runs one pass on an open queue whose shape holds the load. A pass that is
// stopped by the context, or by too many errors, gives what it measured so far
// with CutShort set; only the latter is an error.
//
// A pass first settles without counting. Reads then count in a window of Hold,
// with the queue full from its first moment to its last. Writes count from an
// empty queue behind a flush to the end of another flush, so that exactly the
// bytes that count are on stable media when the time is taken.
func Run(ctx context.Context, machine Machine, queue target.Queue, load Load, timing Timing, watch Watch) (Result, error) {
	if err := load.check(); err != nil {
		return Result{}, err
	}
	if err := timing.check(); err != nil {
		return Result{}, err
	}
	p := newPass(machine, queue, load, timing, watch)
	return p.run(ctx)
}

func newPass(machine Machine, queue target.Queue, load Load, timing Timing, watch Watch) *pass {
	p := &pass{
		machine: machine, queue: queue, load: load, timing: timing, watch: watch,
		offsets: newOffsets(load), payload: newPayload(load.Seed),
		free:  make([]int, load.Depth),
		batch: make([]target.Operation, 0, load.Depth),
		done:  make([]target.Completion, load.Depth),
	}
	for slot := range p.free {
		p.free[slot] = slot
		if buffer := queue.Buffer(slot); buffer != nil && load.Action == target.Write {
			p.payload.fill(buffer)
		}
	}
	p.meter = newMeter(timing.Sample, watch.Temperatures)
	p.reporter = reporter{report: watch.Progress}
	return p
}

func (p *pass) writes() bool { return p.load.Action == target.Write }

func (p *pass) run(ctx context.Context) (Result, error) {
	stopped := ctx.Done()
	err := p.settle(stopped)
	if err != nil {
		return p.meter.result(p.machine.Now()), errors.Join(err, p.drain())
	}
	processor := p.machine.ProcessorTime()
	p.meter.start(p.machine.Now())
	p.submitted = 0
	p.reporter.restart(true, p.machine.Now())

	cut, err := p.count(stopped)
	err = errors.Join(err, p.drain())
	end, flushed := p.machine.Now(), time.Duration(0)
	switch {
	case p.writes():
		var failed error
		flushed, failed = p.flush()
		end, err = p.machine.Now(), errors.Join(err, failed)
	case p.meter.beyond(end):
		end = p.meter.limit
	}
	result := p.meter.result(end)
	result.Flush = flushed
	result.Processor = p.machine.ProcessorTime() - processor
	result.CutShort = cut || err != nil
	return result, err
}

// settle runs the load without counting it.
func (p *pass) settle(stopped <-chan struct{}) error {
	p.reporter.restart(false, p.machine.Now())
	end := p.machine.Now() + p.timing.Settle
	if err := p.keepFull(end, stopped); err != nil {
		return err
	}
	if !p.writes() || p.timing.Settle == 0 {
		return nil
	}
	if err := p.drain(); err != nil {
		return err
	}
	_, err := p.flush()
	return err
}

// count runs the load until the pass is over and says whether it was stopped
// before that.
func (p *pass) count(stopped <-chan struct{}) (cut bool, err error) {
	end := forever
	if p.timing.Hold > 0 {
		end = p.meter.started + p.timing.Hold
		if !p.writes() {
			p.meter.limit = end
		}
	}
	err = p.keepFull(end, stopped)
	cut = p.machine.Now() < end && !p.allSubmitted()
	if p.meter.operations == 0 {
		// A device slower than the whole window still gives one figure.
		p.meter.limit = 0
	}
	return cut, err
}

func (p *pass) allSubmitted() bool {
	return p.timing.Bytes > 0 && p.submitted >= p.timing.Bytes
}

// keepFull keeps the queue at its depth until the clock reaches end, all bytes
// are submitted, or the pass is stopped.
func (p *pass) keepFull(end time.Duration, stopped <-chan struct{}) error {
	for p.machine.Now() < end && !p.allSubmitted() && !isStopped(stopped) {
		if err := p.submit(); err != nil {
			return err
		}
		if err := p.wait(min(end, p.machine.Now()+heartbeat)); err != nil {
			return err
		}
	}
	return nil
}

func isStopped(stopped <-chan struct{}) bool {
	select {
	case <-stopped:
		return true
	default:
		return false
	}
}

// submit puts an operation into every free slot.
func (p *pass) submit() error {
	p.batch = p.batch[:0]
	for len(p.free) > 0 && !p.allSubmitted() {
		slot := p.free[len(p.free)-1]
		p.free = p.free[:len(p.free)-1]
		if p.writes() {
			if buffer := p.queue.Buffer(slot); buffer != nil {
				p.payload.stamp(buffer)
			}
		}
		p.batch = append(p.batch, target.Operation{
			Action: p.load.Action, Slot: slot, Offset: p.offsets.draw(), Length: int(p.load.Block),
		})
		p.submitted += p.load.Block
	}
	p.outstanding += len(p.batch)
	return p.queue.Submit(p.batch)
}

// wait takes completions until the given time at the latest.
func (p *pass) wait(until time.Duration) error {
	until = p.meter.nextCut(until)
	filled, err := p.queue.Wait(p.done, until)
	if err != nil {
		return err
	}
	for _, completion := range p.done[:filled] {
		p.free = append(p.free, completion.Slot)
		p.meter.record(completion, p.load.Block)
	}
	p.outstanding -= filled
	now := p.machine.Now()
	p.meter.cutUntil(now)
	p.reporter.tell(now, p.meter)
	if p.meter.errors > tolerated {
		return ErrTooManyErrors
	}
	return nil
}

// drain waits for everything outstanding.
func (p *pass) drain() error {
	for p.outstanding > 0 {
		if err := p.wait(p.machine.Now() + heartbeat); err != nil && !errors.Is(err, ErrTooManyErrors) {
			return err
		}
	}
	return nil
}

// flush makes everything written so far stable and says how long it took.
func (p *pass) flush() (time.Duration, error) {
	began := p.machine.Now()
	operation := target.Operation{Action: target.Flush, Slot: 0}
	if err := p.queue.Submit([]target.Operation{operation}); err != nil {
		return 0, err
	}
	for {
		filled, err := p.queue.Wait(p.done, p.meter.nextCut(p.machine.Now()+heartbeat))
		if err != nil {
			return 0, err
		}
		if filled > 0 {
			return p.machine.Now() - began, p.done[0].Err
		}
		p.meter.cutUntil(p.machine.Now())
		p.reporter.tell(p.machine.Now(), p.meter)
	}
}
