package engine

import (
	"cmp"
	"context"
	"errors"
	"runtime"
	"time"

	"opengauge/core/storage/target"
)

const (
	// heartbeat bounds how long a pass waits without looking up: for the end,
	// for an interrupt, to report progress.
	heartbeat = 100 * time.Millisecond
	// tolerated is how many failed operations a worker bears before it gives up,
	// where nobody says, and TolerateAll never gives up.
	tolerated   = 100
	TolerateAll = 1<<63 - 1

	forever = time.Duration(1<<63 - 1)
)

// ErrTooManyErrors says that a pass was given up because the storage kept failing. The result has the figures
// up to then.
var ErrTooManyErrors = errors.New("too many operations failed")

// Run runs one pass on a target. A pass that is stopped by the context, or by
// too many errors, gives what it measured so far with CutShort set; only the
// latter is an error.
//
// A pass first settles without counting. Reads then count in a window of Hold,
// with the queue full from its first moment to its last. Passes that write
// count from an empty queue behind a flush to the end of another flush, so that
// exactly the bytes that count are on stable media when the time is taken.
func Run(ctx context.Context, t target.Target, r Request) (Result, error) {
	r.Workers = max(r.Workers, 1)
	r.Timing.Tolerate = cmp.Or(r.Timing.Tolerate, tolerated)
	if r.Workers > 1 && !t.Description().Parallel {
		r.Depth = r.Depth * r.Workers
		r.Workers = 1
	}
	if err := r.check(); err != nil {
		return Result{}, err
	}
	if r.Workers > 1 {
		return runCrew(ctx, t, r)
	}
	return runAlone(ctx, t, r)
}

// runAlone runs a pass of one worker on the calling goroutine, which keeps its
// thread as queues ask.
func runAlone(ctx context.Context, t target.Target, r Request) (Result, error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	whole := newAssembly(r.Watch)
	reporter := &reporter{report: r.Watch.Progress}
	var before target.Usage
	w := &worker{
		target: t, request: r, stopped: ctx.Done(),
		begin: func() time.Duration { before = t.Usage(); return t.Now() },
		look:  reporter.tell,
		enough: func() bool {
			return whole.enough(r.Timing)
		},
	}
	w.meter = newMeter(r.Timing.Sample, func(i interval) *histogram {
		whole.add(i)
		i.latencies.reset()
		return i.latencies
	})
	err := w.run(0)
	result := whole.result([]*worker{w}, r.Timing)
	result.Queue = w.queueName
	result.Workers = 1
	result.Depth = r.Depth
	result.Usage = t.Usage().Since(before)
	result.CutShort = result.CutShort || err != nil
	return result, err
}
