package engine

import (
	"context"
	"errors"
	"sync/atomic"
	"testing"
	"time"

	"opengauge/core/storage/target"
)

func TestStallsAreTold(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	m.slow = func(served int) time.Duration {
		if served == 2000 {
			return 15 * time.Second
		}
		return 0
	}
	var told []Stall
	timing := Timing{Hold: 30 * time.Second, Sample: time.Second, Stall: 10 * time.Second}
	if _, err := Run(context.Background(), m,
		asking(readLoad, timing, Watch{Stall: func(s Stall) { told = append(told, s) }})); err != nil {
		t.Fatal(err)
	}
	if len(told) != 2 || told[0].Over || !told[1].Over {
		t.Fatalf("told %+v, want a stall and its end", told)
	}
	if at := told[0].At; at < 1990*time.Millisecond || at > 2*time.Second {
		t.Errorf("the stall began at %s, want about 2s", at)
	}
	if at := told[1].At; at < 17*time.Second || at > 20*time.Second {
		t.Errorf("the stall ended at %s, want about 17s", at)
	}
}

func TestNoStallWhileOperationsAreOnlySlow(t *testing.T) {
	m := &metronome{service: 2 * time.Second}
	timing := Timing{Hold: time.Minute, Sample: time.Second, Stall: 10 * time.Second}
	watch := Watch{Stall: func(s Stall) { t.Errorf("told %+v", s) }}
	if _, err := Run(context.Background(), m, asking(readLoad, timing, watch)); err != nil {
		t.Fatal(err)
	}
}

// A device that never answers again does not keep a stopped program.
func TestAStoppedPassLeavesAStuckDevice(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	for name, request := range map[string]Request{"read": readLoad, "write": writeLoad} {
		m := &metronome{service: time.Millisecond, flushTime: time.Millisecond}
		m.slow = func(served int) time.Duration {
			if served > 1000 {
				return 1000 * time.Hour
			}
			return 0
		}
		watch := Watch{Progress: func(p Progress) {
			if p.Elapsed > 5*time.Second {
				cancel()
			}
		}}
		result, err := Run(ctx, m, asking(request, Timing{Hold: time.Hour, Sample: time.Second}, watch))
		if !errors.Is(err, ErrStuck) || !result.CutShort || result.Operations < 900 {
			t.Errorf("%s: error %v with %d operations kept", name, err, result.Operations)
		}
		ctx, cancel = context.WithCancel(context.Background())
	}
	cancel()
}

// several is a target that can be driven by several workers, each on a
// metronome of its own.
type several struct {
	metronome
	service time.Duration
	flush   time.Duration // of every second queue
	epoch   time.Time
	opened  atomic.Int64
}

func (s *several) Description() target.Description { return target.Description{Parallel: true} }
func (s *several) Now() time.Duration              { return time.Since(s.epoch) }
func (s *several) Open(target.Shape) (target.Queue, error) {
	flush := time.Duration(s.opened.Add(1)%2) * s.flush
	return &paced{epoch: s.epoch, metronome: metronome{service: s.service, flushTime: flush, now: s.Now()}}, nil
}

// paced is a metronome that keeps to real time.
type paced struct {
	metronome
	epoch time.Time
}

func (p *paced) Wait(done []target.Completion, until time.Duration) (int, error) {
	filled, err := p.metronome.Wait(done, until)
	time.Sleep(p.metronome.now - time.Since(p.epoch))
	return filled, err
}

func TestACrewAddsUp(t *testing.T) {
	for _, writes := range []float64{0, 1} {
		m := &several{service: 5 * time.Millisecond, epoch: time.Now()}
		request := readLoad
		request.Workers, request.WriteShare = 3, writes
		result, err := Run(context.Background(), m,
			asking(request, Timing{Settle: 50 * time.Millisecond, Hold: 600 * time.Millisecond,
				Sample: 100 * time.Millisecond}, Watch{}))
		if err != nil {
			t.Fatal(err)
		}
		var sum, operations int64
		for i, sample := range result.Samples {
			sum += int64(sample.Bytes)
			operations += sample.Operations
			if i > 0 && sample.At <= result.Samples[i-1].At {
				t.Errorf("sample %d ends at %s, not after the one before it", i, sample.At)
			}
		}
		if sum != int64(result.Bytes) || operations != result.Operations || result.Operations < 100 {
			t.Errorf("write share %v: samples have %d bytes in %d operations, the pass %d in %d", writes, sum,
				operations, result.Bytes, result.Operations)
		}
		if result.Workers != 3 || len(result.Samples) < 5 {
			t.Errorf("%d workers, %d samples", result.Workers, len(result.Samples))
		}
	}
}

// A failing worker does not keep the others waiting.
func TestACrewSurvivesAFailure(t *testing.T) {
	m := &failing{several: several{service: time.Millisecond, epoch: time.Now()}}
	request := readLoad
	request.Workers = 2
	if _, err := Run(context.Background(), m,
		asking(request, Timing{Hold: 50 * time.Millisecond, Sample: 10 * time.Millisecond}, Watch{})); err == nil {
		t.Error("a worker without a queue gives no error")
	}
}

type failing struct{ several }

func (f *failing) Open(target.Shape) (target.Queue, error) { return nil, errors.New("no queue today") }

func TestPrecisionEndsAPass(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	result := m.run(t, readLoad, Timing{Hold: time.Hour, Within: 0.01, Sample: time.Second})
	if result.Elapsed > 10*time.Second || result.CutShort || !result.Known || result.Throughput.Share() > 0.01 {
		t.Errorf("a steady device took %s, cut short %v, known to %v", result.Elapsed, result.CutShort,
			result.Throughput.Share())
	}
}

func TestAScheduleCountsFromWhenAnOperationWasDue(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	m.slow = func(served int) time.Duration {
		if served == 500 {
			return time.Second
		}
		return 0
	}
	request := readLoad
	request.Rate, request.Depth = 100, 4
	result := m.run(t, request, Timing{Hold: 10 * time.Second, Sample: time.Second})
	if rate := float64(result.Operations) / result.Elapsed.Seconds(); rate < 99 || rate > 101 {
		t.Errorf("100 a second came out as %.2f", rate)
	}
	// In the second of the stall a hundred operations were due, and wait for
	// half of it each on average: they are a tenth of all.
	if result.Latency.P50Seconds > 0.002 || result.Latency.P99Seconds < 0.8 {
		t.Errorf("latencies are %+v, want the stall in the tail alone", result.Latency)
	}
}

func TestMixedLoadsWriteTheirShare(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	for range 4 {
		m.buffers = append(m.buffers, make([]byte, 4096))
	}
	request := readLoad
	request.WriteShare = 0.3
	m.run(t, request, Timing{Hold: 10 * time.Second, Sample: time.Second})
	if share := float64(len(m.writes)) / float64(len(m.offsets)); share < 0.27 || share > 0.33 {
		t.Errorf("%.3f of the operations write, want 0.3", share)
	}
}

// A device that never answers again ends a pass that nobody stops, too: after a while for
// operations, and after four times that for a flush, which is told as a stall before.
func TestNothingComesBackAnyMore(t *testing.T) {
	const never = 1000 * time.Hour
	for _, c := range []struct {
		name     string
		request  Request
		from     int // the operation that is the first not to come back
		flush    time.Duration
		least    time.Duration
		most     time.Duration
		complete bool
	}{
		{"reads", readLoad, 1000, 0, 13 * time.Second, 14 * time.Second, false},
		{"writes", writeLoad, 1000, 0, 13 * time.Second, 14 * time.Second, false},
		{"a flush", writeLoad, 1 << 30, never, 53 * time.Second, 54 * time.Second, false},
		{"a slow flush", writeLoad, 1 << 30, 40 * time.Second, 40 * time.Second, 46 * time.Second, true},
	} {
		m := &metronome{service: time.Millisecond, flushTime: c.flush}
		m.slow = func(served int) time.Duration {
			if served >= c.from {
				return never
			}
			return 0
		}
		stalls := 0
		timing := Timing{Hold: 5 * time.Second, Sample: time.Second, Stall: 10 * time.Second, Abandon: 12 * time.Second}
		watch := Watch{Stall: func(s Stall) {
			if !s.Over {
				stalls++
			}
		}}
		result, err := Run(context.Background(), m, asking(c.request, timing, watch))
		if c.complete != (err == nil) || !c.complete && !errors.Is(err, ErrStuck) {
			t.Errorf("%s: %v", c.name, err)
		}
		if stalls != 1 || m.now < c.least || m.now > c.most || result.Operations < 900 {
			t.Errorf("%s: %d stalls were told, and after %s it was over with %d operations", c.name, stalls, m.now,
				result.Operations)
		}
	}
}
