package engine

import (
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
	// tolerated is how many failed operations a worker bears before it gives up.
	tolerated = 100

	forever = time.Duration(1<<63 - 1)
)

// ErrTooManyErrors says that a pass was given up because the storage kept
// failing. What it had measured is in the result.
var ErrTooManyErrors = errors.New("too many operations failed")

// Run runs one pass on a target. A pass that is stopped by the context, or by
// too many errors, gives what it measured so far with CutShort set; only the
// latter is an error.
//
// A pass first settles without counting. Reads then count in a window of Hold,
// with the queue full from its first moment to its last. Passes that write
// count from an empty queue behind a flush to the end of another flush, so that
// exactly the bytes that count are on stable media when the time is taken.
func Run(ctx context.Context, t target.Target, load Load, timing Timing, watch Watch) (Result, error) {
	load.Workers = max(load.Workers, 1)
	if load.Workers > 1 && !t.Description().Parallel {
		load.Depth, load.Workers = load.Depth*load.Workers, 1
	}
	if err := load.check(); err != nil {
		return Result{}, err
	}
	if err := timing.check(); err != nil {
		return Result{}, err
	}
	if load.Workers > 1 {
		return runCrew(ctx, t, load, timing, watch)
	}
	return runAlone(ctx, t, load, timing, watch)
}

// runAlone runs a pass of one worker on the calling goroutine, which keeps its
// thread as queues ask.
func runAlone(ctx context.Context, t target.Target, load Load, timing Timing, watch Watch) (Result, error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	whole := newAssembly(watch.Sense)
	reporter := &reporter{report: watch.Progress}
	var before target.Usage
	w := &worker{
		target: t, load: load, timing: timing, stopped: ctx.Done(), stalled: watch.Stall,
		begin: func() time.Duration { before = t.Usage(); return t.Now() },
		look:  reporter.tell,
		enough: func() bool {
			return whole.enough(timing)
		},
	}
	w.meter = newMeter(timing.Sample, func(i interval) *histogram {
		whole.add(i)
		i.latencies.reset()
		return i.latencies
	})
	err := w.run(0)
	result := whole.result([]*meter{w.meter}, w.end, timing)
	result.Queue, result.Workers, result.Depth = w.queueName, 1, load.Depth
	result.Flush = w.flushTook
	result.Usage = t.Usage().Since(before)
	result.CutShort = w.cut || err != nil
	return result, err
}
