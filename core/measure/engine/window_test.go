package engine

import (
	"context"
	"errors"
	"fmt"
	"math"
	"syscall"
	"testing"
	"time"

	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// A cache that takes long to empty is told by the flush, and not by samples in which
// nothing moved; the mean and its interval pay for it.
func TestASlowFlushIsNoSilence(t *testing.T) {
	m := &metronome{service: time.Millisecond, flushTime: 6 * time.Second}
	result := m.run(t, writeLoad, Timing{Hold: 12 * time.Second, Sample: time.Second})
	for i, sample := range result.Samples {
		if sample.Operations == 0 {
			t.Errorf("sample %d has nothing", i)
		}
	}
	if len(result.Samples) != 12 || result.Flush != 6*time.Second {
		t.Errorf("%d samples, a flush of %s", len(result.Samples), result.Flush)
	}
	mean := float64(result.Bytes) / result.Elapsed.Seconds()
	if i := result.Throughput; !result.Known || !(i.Low <= mean*1.001 && i.High >= mean*0.999) || !(i.Share() < 0.01) {
		t.Errorf("the interval %+v is not about the mean, %.0f", i, mean)
	}
}

// A flush that does not come back is a stall, and does not keep a stopped pass.
func TestAFlushThatHangs(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	m := &metronome{service: time.Millisecond, flushTime: 1000 * time.Hour}
	var told []Stall
	watch := Watch{
		Stall: func(s Stall) { told = append(told, s) },
		Progress: func(p Progress) {
			if p.Flushing && p.Elapsed > 20*time.Second {
				cancel()
			}
		},
	}
	timing := Timing{Hold: 2 * time.Second, Sample: time.Second, Stall: 10 * time.Second}
	result, err := Run(ctx, m, asking(writeLoad, timing, watch))
	if !errors.Is(err, ErrStuck) || len(told) != 1 || told[0].At < 2*time.Second || result.Operations < 1900 {
		t.Errorf("error %v, told %+v, %d operations", err, told, result.Operations)
	}
}

// A thread that was kept from running for more than a sample still gives its samples
// one by one, so that those of several workers fit.
func TestALateEndIsCutIntoSamples(t *testing.T) {
	var ends []time.Duration
	m := newMeter(100*time.Millisecond, func(i interval) *histogram {
		ends = append(ends, i.sample.At)
		return newHistogram()
	})
	m.start(time.Second)
	m.record(&target.Completion{Submitted: time.Second, Completed: 1010 * time.Millisecond}, time.Second, 4096)
	m.finish(1250 * time.Millisecond)
	if len(ends) != 3 || ends[0] != 100*time.Millisecond || ends[2] != 250*time.Millisecond {
		t.Errorf("samples end at %v", ends)
	}
}

// Operations that hang when the window ends are in the latencies, with their age.
func TestOperationsThatTheEndCutsOff(t *testing.T) {
	for name, rate := range map[string]float64{"closed": 0, "rated": 100} {
		m := &metronome{service: time.Millisecond}
		m.slow = func(served int) time.Duration {
			if served == 801 {
				return 5 * time.Second
			}
			return 0
		}
		request := readLoad
		request.Rate = rate
		hold := 10 * time.Second
		if rate == 0 {
			hold = time.Second
		}
		result := m.run(t, request, Timing{Hold: hold, Sample: time.Second})
		// One operation hangs for 5 s; with a rate, 196 that were due in the last 2 s
		// never began.
		want := int64(4)
		if rate > 0 {
			want = 200
		}
		if result.CutOff < want-2 || result.CutOff > want+2 {
			t.Errorf("%s: %d were cut off, want %d", name, result.CutOff, want)
		}
		if max := result.Latency.MaxSeconds; !(max > 4.9 && max < 5.1) {
			t.Errorf("%s: the longest took %v s, want 5", name, max)
		}
		if rate > 0 && !(result.Latency.P90Seconds > 0.5) {
			t.Errorf("%s: p90 is %v s, though a fifth waited for up to 2 s", name, result.Latency.P90Seconds)
		}
	}
}

// A device that answers again while a pass drains is told to have returned.
func TestAReturnWhileDraining(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	m.slow = func(served int) time.Duration {
		if served == 900 {
			return 15 * time.Second
		}
		return 0
	}
	var told []Stall
	timing := Timing{Hold: time.Second, Sample: time.Second, Stall: 10 * time.Second}
	if _, err := Run(context.Background(), m,
		asking(readLoad, timing, Watch{Stall: func(s Stall) { told = append(told, s) }})); err != nil {
		t.Fatal(err)
	}
	if len(told) != 2 || told[0].Over || !told[1].Over || told[1].At < 15*time.Second {
		t.Errorf("told %+v, want a stall and its end", told)
	}
}

// The bytes that were asked for are moved, to a block, by any number of workers.
func TestBytesAreExact(t *testing.T) {
	for _, workers := range []int{1, 2, 3, 7} {
		for _, blocks := range []int{1, 5, 100, 101} {
			for name, request := range map[string]Request{"read": readLoad, "write": writeLoad} {
				at := &several{service: 10 * time.Microsecond, epoch: time.Now()}
				request.Workers = workers
				want := unit.Bytes(blocks) * 4096
				result, err := Run(context.Background(), at,
					asking(request, Timing{Bytes: want - 5, Sample: 100 * time.Millisecond}, Watch{}))
				if err != nil {
					t.Fatal(err)
				}
				if moved := result.Moved.Read + result.Moved.Written; result.Bytes != want || moved != want {
					t.Errorf("%s of %d blocks by %d workers: counted %d, moved %d, want %d", name, blocks, workers,
						result.Bytes, moved, want)
				}
			}
		}
	}
}

// What a pass moves before it counts is told as well.
func TestSettlingIsInWhatMoved(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	result := m.run(t, writeLoad, Timing{Settle: 500 * time.Millisecond, Hold: time.Second, Sample: time.Second})
	if served := unit.Bytes(len(m.offsets)) * 4096; result.Moved.Written != served || result.Moved.Read != 0 {
		t.Errorf("%+v moved, the device saw %d bytes written", result.Moved, served)
	}
	if result.Bytes >= result.Moved.Written {
		t.Errorf("%d of %d bytes count, though it settled first", result.Bytes, result.Moved.Written)
	}
}

// The mean depth is what was under way, not what was asked.
func TestMeanDepth(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	if full := m.run(t, readLoad, tenSeconds); !(math.Abs(full.MeanDepth-4) < 0.01) {
		t.Errorf("%.3f under way on average, want 4", full.MeanDepth)
	}
	m, request := &metronome{service: 2 * time.Millisecond}, readLoad
	request.Rate = 100
	if idle := m.run(t, request, tenSeconds); !(math.Abs(idle.MeanDepth-0.2) < 0.01) {
		t.Errorf("%.3f under way on average, want 0.2: a hundred times 2 ms a second", idle.MeanDepth)
	}
}

// Failures are told apart by what they are, with where they were.
func TestFailuresAreToldApart(t *testing.T) {
	bad, full := errors.New("bad sector"), errors.New("no space")
	m := &metronome{service: time.Millisecond, fail: func(served int) error {
		switch {
		case served%100 == 0:
			return bad
		case served == 501:
			return full
		}
		return nil
	}}
	result := m.run(t, readLoad, Timing{Hold: time.Second, Sample: time.Second})
	if len(result.Failures) != 2 || result.Failures[0].Count < 9 || result.Failures[1].Count != 1 ||
		!errors.Is(result.Failures[0].Err, bad) || result.Failures[0].Action != target.Read {
		t.Fatalf("failures are %+v", result.Failures)
	}
	first := result.Failures[0]
	if first.FirstOffset != m.offsets[99] || first.FromOffset > first.FirstOffset || first.ToOffset < first.FirstOffset {
		t.Errorf("%+v, the first at %d", first, m.offsets[99])
	}
}

// Workers with a rate begin their schedule together, whatever kept some of them.
func TestASchedulesWorkersBeginTogether(t *testing.T) {
	witness.OnQuietMachine(t, func() (faults []string) {
		at := &several{service: 2 * time.Millisecond, epoch: time.Now(), flush: 150 * time.Millisecond}
		request := writeLoad
		request.Workers, request.Rate = 2, 200
		result, err := Run(context.Background(), at, asking(request,
			Timing{Settle: 50 * time.Millisecond, Hold: 800 * time.Millisecond, Sample: 100 * time.Millisecond}, Watch{}))
		if err != nil {
			t.Fatal(err)
		}
		if !(result.Latency.P50Seconds < 0.02) || !(result.Latency.P99Seconds < 0.1) {
			faults = append(faults, fmt.Sprintf("latencies are %+v, of operations of 2 ms", result.Latency))
		}
		rate := float64(result.Operations) / (result.Elapsed - result.Flush).Seconds()
		if rate > 215 {
			t.Errorf("%.0f a second, want 200", rate)
		}
		if rate < 185 {
			faults = append(faults, fmt.Sprintf("%.0f a second, want 200", rate))
		}
		return faults
	})
}

// A pass that ends while it settles has no rate, and its errors stand beside all that was tried.
func TestAPassThatEndsWhileItSettles(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	m.fail = func(served int) error {
		if served > 300 {
			return syscall.EIO
		}
		return nil
	}
	result, err := Run(context.Background(), m, asking(readLoad, Timing{Settle: time.Minute, Hold: time.Minute,
		Sample: time.Second}, Watch{}))
	if !errors.Is(err, ErrTooManyErrors) || result.Elapsed != 0 || result.Operations != 0 || result.Errors < 101 ||
		result.Attempts != result.Errors+300 {
		t.Errorf("%v: %d operations and %d errors of %d in %s", err, result.Operations, result.Errors, result.Attempts,
			result.Elapsed)
	}
}
