package engine

import (
	"context"
	"errors"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// crew is several workers of one pass. They share nothing while they work: each
// hands its intervals to a collector and gets an empty histogram back.
type crew struct {
	workers   []*worker
	intervals chan delivery
	spare     chan *histogram
	precise   atomic.Bool
	before    target.Usage
}

// delivery is an interval with the place it belongs to.
type delivery struct {
	index int
	interval
}

// spareHistograms a worker keep it from waiting for the collector.
const spareHistograms = 3

func runCrew(ctx context.Context, t target.Target, r Request) (Result, error) {
	c := &crew{
		intervals: make(chan delivery, r.Workers*spareHistograms),
		spare:     make(chan *histogram, r.Workers*(spareHistograms+1)),
	}
	for range r.Workers * spareHistograms {
		c.spare <- newHistogram()
	}
	together := newBarrier(r.Workers, func() time.Duration {
		c.before = t.Usage()
		return t.Now()
	})
	progress := &sharedReporter{reporter: reporter{report: r.Watch.Progress}, counted: make([]atomic.Int64, r.Workers)}
	for number := range r.Workers {
		w := c.newWorker(r, number, progress)
		w.target = t
		w.stopped = ctx.Done()
		w.begin = together.wait
		c.workers = append(c.workers, w)
	}
	whole := newAssembly(r.Watch)
	collected := make(chan struct{})
	go func() {
		c.collect(whole, r.Timing)
		close(collected)
	}()
	errs := c.work(together)
	close(c.intervals)
	<-collected
	return c.result(t, whole, r, errs)
}

func (c *crew) newWorker(r Request, number int, progress *sharedReporter) *worker {
	index := 0
	r.Timing.Bytes = r.share(number)
	w := &worker{
		request: r, enough: c.precise.Load,
		look: func(now time.Duration, m *meter) { progress.tell(number, now, m) },
	}
	w.meter = newMeter(r.Timing.Sample, func(i interval) *histogram {
		c.intervals <- delivery{index: index, interval: i}
		index++
		return <-c.spare
	})
	return w
}

// share is how many of a pass's bytes one of its workers moves: whole blocks that add
// up, and below 0 for one that has none; 0 where the pass has no limit.
func (r Request) share(worker int) unit.Bytes {
	if r.Timing.Bytes == 0 {
		return 0
	}
	blocks := (r.Timing.Bytes + r.Block - 1) / r.Block
	workers := unit.Bytes(r.Workers)
	mine := blocks / workers
	if unit.Bytes(worker) < blocks%workers {
		mine++
	}
	if mine == 0 {
		return -1
	}
	return mine * r.Block
}

// work runs the workers, each on a thread of its own, to their end.
func (c *crew) work(together *barrier) []error {
	errs := make([]error, len(c.workers))
	var running sync.WaitGroup
	for number, w := range c.workers {
		running.Go(func() {
			runtime.LockOSThread()
			defer runtime.UnlockOSThread()
			errs[number] = w.run(number)
			together.leave()
		})
	}
	running.Wait()
	return errs
}

// collect adds up the intervals of the same place, and hands each on once every
// worker has given its own, or has none left.
func (c *crew) collect(whole *assembly, timing Timing) {
	pending := map[int]*gathered{}
	next := 0
	hand := func(g *gathered) {
		g.latencies = g.tally.histogram()
		whole.add(g.interval)
		next++
		if whole.enough(timing) {
			c.precise.Store(true)
		}
	}
	for d := range c.intervals {
		g := pending[d.index]
		if g == nil {
			g = &gathered{}
			pending[d.index] = g
		}
		g.add(d.interval)
		d.latencies.reset()
		c.spare <- d.latencies
		for pending[next] != nil && pending[next].count == len(c.workers) {
			ready := pending[next]
			delete(pending, next)
			hand(ready)
		}
	}
	for len(pending) > 0 {
		if g := pending[next]; g != nil {
			delete(pending, next)
			hand(g)
			continue
		}
		next++
	}
}

// gathered is an interval of several workers, but for its latencies, which are
// beside it until all are there.
type gathered struct {
	interval
	tally tally
	count int
}

func (g *gathered) add(i interval) {
	g.count++
	g.tally.add(i.latencies)
	g.sample.At = max(g.sample.At, i.sample.At)
	g.sample.Elapsed = max(g.sample.Elapsed, i.sample.Elapsed)
	g.sample.Bytes += i.sample.Bytes
	g.sample.Operations += i.sample.Operations
	g.sample.Errors += i.sample.Errors
	for j, bytes := range i.beats {
		if j == len(g.beats) {
			g.beats = append(g.beats, 0)
		}
		g.beats[j] += bytes
	}
}

func (c *crew) result(t target.Target, whole *assembly, r Request, errs []error) (Result, error) {
	err := errors.Join(errs...)
	result := whole.result(c.workers, r.Timing)
	result.Queue = c.workers[0].queueName
	result.Workers = r.Workers
	result.Depth = r.Depth
	result.CutShort = result.CutShort || err != nil
	result.Usage = t.Usage().Since(c.before)
	return result, err
}

// barrier lets workers begin to count at one moment.
type barrier struct {
	mutex   sync.Mutex
	arrived *sync.Cond
	waiting int
	expect  int
	moment  time.Duration
	open    bool
	when    func() time.Duration
}

func newBarrier(workers int, when func() time.Duration) *barrier {
	b := &barrier{expect: workers, when: when}
	b.arrived = sync.NewCond(&b.mutex)
	return b
}

// wait waits for the others and gives the moment.
func (b *barrier) wait() time.Duration {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	b.waiting++
	b.release()
	for !b.open {
		b.arrived.Wait()
	}
	return b.moment
}

// leave takes a worker that has ended off the list, so that nobody waits for
// one that failed before.
func (b *barrier) leave() {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	b.expect--
	b.release()
}

func (b *barrier) release() {
	if !b.open && b.waiting > 0 && b.waiting >= b.expect {
		b.moment = b.when()
		b.open = true
		b.arrived.Broadcast()
	}
}
