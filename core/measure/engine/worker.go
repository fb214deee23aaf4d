package engine

import (
	"errors"
	"math/rand/v2"
	"time"

	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// worker drives one queue through one pass.
type worker struct {
	target  target.Target
	request Request
	stopped <-chan struct{}
	// begin gives the moment from which the pass counts; several workers wait
	// for each other in it.
	begin func() time.Duration
	// look is called several times a second.
	look func(now time.Duration, m *meter)
	// enough says whether the throughput is known well enough. It is asked at
	// the end of each stretch of precisionEvery.
	enough func() bool
	meter  *meter

	queue     target.Queue
	queueName string
	offsets   *offsets
	payload   *payload
	schedule  schedule
	stall     stallWatch
	chance    *rand.PCG // draws which operations of a mixed load write
	// free are the slots without an operation; batch and done are reused.
	free  []int
	batch []target.Operation
	done  []target.Completion
	// underWay is the operation in each slot, where a ledger needs it.
	underWay []target.Operation

	// now is the time of the last completion, or of the last look at the clock:
	// looking at it once an operation more would cost a fast device a tenth.
	now         time.Duration
	submitted   unit.Bytes
	outstanding int
	precise     bool
	askAgain    time.Duration

	end       time.Duration
	flushTook time.Duration
	cut       bool
}

// precisionEvery is how often the worker asks whether it knows enough.
const precisionEvery = time.Second

func (w *worker) run(number int) error {
	queue, err := w.target.Open(target.Shape{Slots: w.request.Depth, Block: w.request.Block})
	if err != nil {
		return err
	}
	w.queue, w.queueName = queue, queue.Name()
	w.prepare(number)
	err = w.pass()
	if w.outstanding > 0 {
		// The kernel may still write into the buffers, so they stay.
		return errors.Join(err, ErrStuck)
	}
	return errors.Join(err, queue.Close())
}

func (w *worker) prepare(number int) {
	w.offsets = newOffsets(w.request, number)
	w.payload = newPayload(w.request.Seed+uint64(number)<<32, w.request.CompressibleShare)
	w.schedule = newSchedule(w.request.Load, number)
	w.chance = rand.NewPCG(w.request.Seed, 0x6d69786564+uint64(number))
	w.stall = newStallWatch(w.request.Depth, w.request.Timing.Stall, w.request.Watch.Stall)
	w.underWay = make([]target.Operation, w.request.Depth)
	w.free = make([]int, w.request.Depth)
	w.batch = make([]target.Operation, 0, w.request.Depth)
	w.done = make([]target.Completion, w.request.Depth)
	for slot := range w.free {
		w.free[slot] = slot
		if buffer := w.queue.Buffer(slot); buffer != nil && w.request.Writes() {
			w.payload.fill(buffer)
		}
	}
}

// pass settles, counts, drains and flushes.
func (w *worker) pass() error {
	w.schedule.start(w.target.Now())
	if err := w.settle(); err != nil {
		w.end = w.target.Now()
		return errors.Join(err, w.drain())
	}
	w.meter.start(w.begin())
	w.askAgain = w.meter.started + precisionEvery
	w.submitted = 0

	err := errors.Join(w.count(), w.drain())
	w.end = w.target.Now()
	switch {
	case w.request.Writes():
		var failed error
		w.flushTook, failed = w.flush()
		w.end, err = w.target.Now(), errors.Join(err, failed)
	case w.meter.beyond(w.end):
		w.end = w.meter.limit
	}
	w.meter.finish(w.end)
	return err
}

// settle runs the load without counting it.
func (w *worker) settle() error {
	if err := w.keepFull(w.target.Now() + w.request.Timing.Settle); err != nil {
		return err
	}
	if !w.request.Writes() || w.request.Timing.Settle == 0 {
		return nil
	}
	if err := w.drain(); err != nil {
		return err
	}
	_, err := w.flush()
	w.schedule.start(w.target.Now())
	w.schedule.count = 0
	return err
}

// count runs the load until the pass is over, and notes whether it was stopped
// before that.
func (w *worker) count() error {
	end := forever
	if w.request.Timing.Hold > 0 {
		end = w.meter.started + w.request.Timing.Hold
		if !w.request.Writes() {
			w.meter.limit = end
		}
	}
	err := w.keepFull(end)
	now := w.target.Now()
	w.cut = now < end && !w.allSubmitted() && !w.precise
	if w.precise && !w.request.Writes() {
		w.meter.limit = min(now, end)
	}
	if w.meter.operations == 0 {
		// A device slower than the whole window still gives one figure.
		w.meter.limit = 0
	}
	return err
}

func (w *worker) allSubmitted() bool {
	return w.request.Timing.Bytes > 0 && w.submitted >= w.request.Timing.Bytes
}

// keepFull keeps the queue at its depth until the clock reaches end, all bytes
// are submitted, enough is known, or the pass is stopped.
func (w *worker) keepFull(end time.Duration) error {
	w.now = w.target.Now()
	for w.now < end && !w.allSubmitted() && !w.precise && !isStopped(w.stopped) {
		if err := w.submit(); err != nil {
			return err
		}
		if err := w.wait(min(end, w.now+heartbeat)); err != nil {
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

// submit puts an operation that is due into every free slot.
func (w *worker) submit() error {
	w.batch = w.batch[:0]
	for len(w.free) > 0 && !w.allSubmitted() {
		slot := w.free[len(w.free)-1]
		if !w.schedule.take(slot, w.now) {
			break
		}
		w.free = w.free[:len(w.free)-1]
		operation := w.operation(slot)
		if w.request.Ledger != nil {
			w.underWay[slot] = operation
		}
		w.stall.submitted(slot, operation.Offset, w.now)
		w.batch = append(w.batch, operation)
		w.submitted += w.request.Block
	}
	if len(w.batch) == 0 {
		return nil
	}
	w.outstanding += len(w.batch)
	return w.queue.Submit(w.batch)
}

func (w *worker) operation(slot int) target.Operation {
	o := target.Operation{Action: target.Read, Slot: slot, Offset: w.offsets.draw(), Length: int(w.request.Block)}
	if !w.drawWrite() {
		return o
	}
	o.Action, o.Durable = target.Write, w.request.Durable
	if buffer := w.queue.Buffer(slot); buffer != nil {
		if w.request.WriteShare < 1 { // a read may have been here
			w.payload.restore(buffer)
		}
		w.payload.stamp(buffer)
		if w.request.Ledger != nil {
			w.request.Ledger.stamp(buffer[:o.Length], o.Offset)
		}
	}
	return o
}

func (w *worker) drawWrite() bool {
	switch w.request.WriteShare {
	case 0:
		return false
	case 1:
		return true
	}
	return float64(w.chance.Uint64()>>11)/(1<<53) < w.request.WriteShare
}

// wait takes completions until the given time or the next arrival at the latest.
func (w *worker) wait(until time.Duration) error {
	return w.take(w.schedule.wake(w.meter.nextCut(until), len(w.free)))
}

// take takes completions until the given time at the latest.
func (w *worker) take(until time.Duration) error {
	filled, err := w.queue.Wait(w.done, until)
	if err != nil {
		return err
	}
	if filled == 0 {
		w.now = w.target.Now()
	}
	for i := range w.done[:filled] {
		completion := &w.done[i]
		w.now = completion.Completed
		w.stall.completed(completion.Slot, completion.Completed)
		w.free = append(w.free, completion.Slot)
		if w.request.Ledger != nil {
			w.verify(w.underWay[completion.Slot], completion.Err)
		}
		w.meter.record(completion, w.schedule.since(completion.Slot, completion.Submitted), w.request.Block)
	}
	w.outstanding -= filled
	w.glance()
	if w.meter.errors > w.request.Timing.Tolerate {
		return ErrTooManyErrors
	}
	return nil
}

// verify enters a complete write in the ledger, or checks a complete read. A write
// that failed leaves its cells as ones of which nobody knows whether it came to them.
func (w *worker) verify(o target.Operation, failed error) {
	switch {
	case o.Action == target.Write && failed == nil:
		w.request.Ledger.written(o.Offset, int64(o.Length))
	case o.Action == target.Write, w.request.WriteShare > 0:
	case failed != nil:
		w.request.Ledger.unreadable(o.Offset, int64(o.Length))
	default:
		w.request.Ledger.check(w.queue.Buffer(o.Slot)[:o.Length], o.Offset)
	}
}

// glance cuts samples that are over, and tells those who look on.
func (w *worker) glance() {
	w.meter.cutUntil(w.now)
	w.stall.look(w.now)
	w.look(w.now, w.meter)
	if w.meter.counting && w.now >= w.askAgain {
		w.askAgain += precisionEvery
		w.precise = w.enough()
	}
}

// drain waits for everything outstanding: for ever, or for as long as patience
// lasts once the pass is stopped.
func (w *worker) drain() error {
	deadline := forever
	for w.outstanding > 0 {
		if deadline == forever && isStopped(w.stopped) {
			deadline = w.target.Now() + patience
		}
		if w.target.Now() > deadline {
			return ErrStuck
		}
		// What arrives now is not started any more, so nobody wakes for it.
		if err := w.take(w.meter.nextCut(w.target.Now() + heartbeat)); err != nil && !errors.Is(err, ErrTooManyErrors) {
			return err
		}
	}
	return nil
}

// flush makes everything written so far stable and says how long it took.
func (w *worker) flush() (time.Duration, error) {
	if w.outstanding > 0 {
		return 0, nil // stuck; the error is known
	}
	began := w.target.Now()
	if err := w.queue.Submit([]target.Operation{{Action: target.Flush, Slot: 0}}); err != nil {
		return 0, err
	}
	for {
		filled, err := w.queue.Wait(w.done, w.meter.nextCut(w.target.Now()+heartbeat))
		if err != nil {
			return 0, err
		}
		if filled > 0 {
			return w.target.Now() - began, w.done[0].Err
		}
		w.now = w.target.Now()
		w.glance()
	}
}
