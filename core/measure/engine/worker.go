package engine

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"time"

	"opengauge/core/storage/payload"
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
	payload   *payload.Source // nil where the target keeps no data, or nothing is written
	schedule  schedule
	stall     stallWatch
	chance    *rand.PCG // draws which operations of a mixed load write
	astray    float64   // how many more of them wrote than were to
	// free are the slots without an operation, the one that has been free for longest
	// first; batch and done are reused.
	free  *slots
	batch []target.Operation
	done  []target.Completion
	// underWay is the operation in each slot, and since when its latency counts.
	underWay []flight

	// now is the time of the last completion, or of the last look at the clock:
	// looking at it once an operation more would cost a fast device a tenth.
	now         time.Duration
	submitted   unit.Bytes
	moved       Moved
	outstanding int
	again       []target.Operation // to be asked again
	aliveAt     time.Duration      // when an operation came back, or the first went under way
	precise     bool
	askAgain    time.Duration
	glanceAt    time.Duration
	halted      bool // as of the last glance

	written   sampled // where it wrote
	end       time.Duration
	flushed   error // how the flush ended
	flushTook time.Duration
	cut       bool
	// virtual says that the target's clock moves only while it is waited for, and
	// spun is for how long the worker waited without a pause.
	virtual bool
	spun    time.Duration
}

// flight holds the facts about an operation under way.
type flight struct {
	offset  int64
	since   time.Duration
	action  target.Action
	retries int8
}

// precisionEvery is how often the worker asks whether it knows enough.
const precisionEvery = time.Second

func (w *worker) run(number int) error {
	queue, err := w.target.Open(target.Shape{Slots: w.request.Depth, Block: w.request.Block})
	if err != nil {
		return err
	}
	w.queue = queue
	w.queueName = queue.Name()
	w.virtual = w.target.Description().Kind == target.Simulated
	w.prepare(number)
	err = w.pass()
	if w.request.Written != nil {
		w.request.Written.take(&w.written)
	}
	if w.outstanding > 0 {
		// The kernel may still write into the buffers, so they stay.
		if errors.Is(err, ErrStuck) {
			return err
		}
		return errors.Join(err, w.stuck())
	}
	return errors.Join(err, queue.Close())
}

func (w *worker) prepare(number int) {
	w.offsets = newOffsets(w.request, number)
	if w.request.Writes() && w.queue.Buffer(0) != nil {
		w.payload = payload.Compressible(w.request.CompressibleShare)
	}
	w.schedule = newSchedule(w.request.Load, number)
	w.chance = rand.NewPCG(w.request.Seed, 0x6d69786564+uint64(number))
	w.stall = newStallWatch(w.request.Depth, w.request.Timing.Stall, w.request.Watch.Stall)
	w.underWay = make([]flight, w.request.Depth)
	w.free = newSlots(w.request.Depth)
	w.batch = make([]target.Operation, 0, w.request.Depth)
	w.done = make([]target.Completion, w.request.Depth)
}

// pass settles, counts, drains and flushes.
func (w *worker) pass() error {
	w.schedule.start(w.target.Now())
	if err := w.settle(); err != nil {
		w.end = w.target.Now()
		return errors.Join(err, w.drain())
	}
	started := w.begin()
	w.schedule.start(started) // the others may have kept this worker waiting
	w.meter.start(started)
	w.askAgain = started + precisionEvery
	w.submitted = unit.Bytes(w.outstanding) * w.request.Block // what is under way counts

	err := errors.Join(w.count(), w.drain())
	w.end = w.target.Now()
	if w.meter.beyond(w.end) {
		w.end = w.meter.limit
	}
	w.meter.finish(w.end)
	if w.request.Writes() {
		var failed error
		w.flushTook, failed = w.flush()
		w.end = w.target.Now()
		err = errors.Join(err, failed)
	}
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
	w.schedule.abandon(min(now, end), w.meter)
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
	return w.request.Timing.Bytes != 0 && w.submitted >= w.request.Timing.Bytes
}

// keepFull keeps the queue at its depth until the clock reaches end, all bytes
// are submitted, enough is known, or the pass is stopped.
func (w *worker) keepFull(end time.Duration) error {
	w.now = w.target.Now()
	w.halted = isStopped(w.stopped)
	for w.now < end && !w.allSubmitted() && !w.precise && !w.halted {
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
	if w.schedule.rated() {
		w.now = w.target.Now()
	}
	for w.free.any() && !w.allSubmitted() {
		since := w.now
		if w.schedule.rated() {
			due, ready := w.schedule.take(w.now, w.free.freeSince(), w.meter)
			if !ready {
				break
			}
			since = due
		}
		slot := w.free.take()
		w.batch = w.batch[:len(w.batch)+1]
		operation := &w.batch[len(w.batch)-1]
		operation.Slot = slot
		if err := w.fill(operation); err != nil {
			return err
		}
		w.underWay[slot] = flight{offset: operation.Offset, since: since, action: operation.Action}
		w.stall.noteSubmission(slot, operation.Offset, w.now)
		w.submitted += w.request.Block
	}
	if len(w.batch) == 0 {
		return nil
	}
	return w.hand(w.batch)
}

// hand gives operations to the queue.
func (w *worker) hand(operations []target.Operation) error {
	if w.outstanding == 0 {
		w.aliveAt = w.now
	}
	w.outstanding += len(operations)
	return w.queue.Submit(operations)
}

// fill sets the action, the place and the data of the operation of a slot. One that a ledger cannot judge is
// an error: whatever it found would be no finding about the storage.
func (w *worker) fill(o *target.Operation) error {
	o.Action = target.Read
	o.Offset = w.offsets.draw()
	o.Length = int(w.request.Block)
	if w.request.Ledger != nil && !w.request.Ledger.fits(o.Offset, int64(o.Length)) {
		return fmt.Errorf("%d bytes at %d are not whole cells of %d bytes, so they cannot be verified: this is a mistake of "+
			"the program, not of the storage", o.Length, o.Offset, w.request.Ledger.cell)
	}
	if w.request.WriteShare == 0 || !w.drawWrite() {
		o.Data = nil
		o.Durable = false
		return nil
	}
	o.Action = target.Write
	o.Durable = w.request.Durable
	switch {
	case w.payload == nil:
	case w.request.Ledger != nil:
		buffer := w.queue.Buffer(o.Slot)[:o.Length]
		w.payload.Fill(buffer)
		w.request.Ledger.stamp(buffer, o.Offset)
	case w.payload.Fits(o.Length):
		o.Data = w.payload.Next(o.Length)
	default:
		w.payload.Fill(w.queue.Buffer(o.Slot)[:o.Length])
	}
	return nil
}

// mostAstray is by how many operations a mixed load may have written more or less than it
// was asked to: chance alone would go astray by ever more, and with it the share.
const mostAstray = 8

// drawWrite says whether the next operation writes, of a load that writes at all.
func (w *worker) drawWrite() bool {
	if w.request.WriteShare == 1 {
		return true
	}
	writes := float64(w.chance.Uint64()>>11)/(1<<53) < w.request.WriteShare
	switch {
	case w.astray >= mostAstray:
		writes = false
	case w.astray <= -mostAstray:
		writes = true
	}
	w.astray -= w.request.WriteShare
	if writes {
		w.astray++
	}
	return writes
}

// wait takes completions until the given time or the next arrival at the latest.
func (w *worker) wait(until time.Duration) error {
	until = w.meter.nextCut(until)
	if !w.schedule.rated() || !w.free.any() || w.schedule.next() > until {
		return w.take(until)
	}
	due := w.schedule.next()
	if w.virtual {
		return w.take(due)
	}
	if err := w.take(due - nearArrival); err != nil {
		return err
	}
	return w.spin(due)
}

// spin looks for completions without a pause until an operation is due: a thread that
// sleeps wakes up to some tens of microseconds late, which would be in the latency.
func (w *worker) spin(due time.Duration) error {
	began := w.target.Now()
	w.now = began
	for w.now < due && due-w.now <= nearArrival {
		if err := w.take(0); err != nil {
			return err
		}
		w.now = w.target.Now()
	}
	w.spun += w.now - began
	return nil
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
		w.takeCompletion(&w.done[i])
	}
	if w.outstanding -= filled; filled > 0 {
		w.aliveAt = w.now
	}
	if len(w.again) > 0 {
		if err := w.hand(w.again); err != nil {
			return err
		}
		w.again = w.again[:0]
	}
	if filled == 0 || w.now >= w.glanceAt {
		w.glance()
	}
	if w.meter.errors > w.request.Timing.Tolerate {
		return ErrTooManyErrors
	}
	if filled == 0 && w.hangs() {
		return w.stuck()
	}
	return nil
}

// stuck is the error of operations that did not come back, with the time.
func (w *worker) stuck() error {
	what := fmt.Sprintf("%d operations", w.outstanding)
	if w.meter.flushing {
		what = "a flush"
	}
	return fmt.Errorf("%w: %s did not come back within %s", ErrStuck, what, unit.Span(w.now-w.aliveAt))
}

// hangs says whether nothing has come back for longer than the pass waits.
func (w *worker) hangs() bool {
	longest := w.request.Timing.Abandon
	if w.meter.flushing {
		longest *= flushPatience
	}
	return longest > 0 && w.outstanding > 0 && w.now-w.aliveAt > longest
}

// takeCompletion takes note of one operation that is over.
func (w *worker) takeCompletion(c *target.Completion) {
	w.now = c.Completed
	if c.Err != nil && !w.meter.flushing && w.retries(c) {
		return
	}
	w.stall.noteCompletion(c.Slot, c.Completed)
	w.free.put(c.Slot, c.Completed)
	if w.meter.flushing {
		w.flushed = c.Err
		return
	}
	o := &w.underWay[c.Slot]
	if w.request.Ledger != nil {
		w.verify(c.Slot, c.Err)
	}
	if c.Err != nil {
		w.meter.fail(o.action, o.offset, c.Err)
		return
	}
	w.moved.add(o.action, w.request.Block)
	if o.action == target.Write {
		w.written.note(o.offset, int64(w.request.Block), w.request.Durable)
	}
	since := c.Submitted
	if w.schedule.rated() || o.retries > 0 {
		since = o.since
	}
	w.meter.record(c, since, w.request.Block)
}

// verify enters a complete write in the ledger, or checks a complete read. A write
// that failed leaves its cells as ones of which nobody knows whether it came to them.
func (w *worker) verify(slot int, failed error) {
	o, length := &w.underWay[slot], int64(w.request.Block)
	switch {
	case o.action == target.Write && failed == nil:
		w.request.Ledger.noteWritten(o.offset, length)
	case o.action == target.Write, w.request.WriteShare > 0:
	case failed != nil:
		w.request.Ledger.unreadable(o.offset, length)
	default:
		w.request.Ledger.check(w.queue.Buffer(slot)[:length], o.offset)
	}
}

// glanceEvery is how often a worker looks up from a fast device: doing it at each
// operation would cost that a fiftieth.
const glanceEvery = time.Millisecond

// glance cuts samples that are over, and tells those who look on.
func (w *worker) glance() {
	w.glanceAt = w.now + glanceEvery
	w.halted = isStopped(w.stopped)
	w.meter.cutUntil(w.now)
	w.stall.look(w.now)
	w.look(w.now, w.meter)
	if w.meter.counting && w.now >= w.askAgain {
		w.askAgain += precisionEvery
		w.precise = w.enough()
	}
}
