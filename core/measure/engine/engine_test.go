package engine

import (
	"context"
	"errors"
	"math"
	"testing"
	"time"

	"opengauge/core/load"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// metronome is a target of known speed on a virtual clock: it serves one
// operation after the other, each in the same time.
type metronome struct {
	now       time.Duration
	service   time.Duration
	flushTime time.Duration
	free      time.Duration // when it is done with what it has
	pending   []target.Completion
	buffers   [][]byte
	writes    [][]byte // what was written, when buffers are kept
	offsets   []int64
	deepest   int
	fail      func(served int) error
	slow      func(served int) time.Duration // on top of service
	served    int
}

func (m *metronome) Now() time.Duration  { return m.now }
func (m *metronome) Usage() target.Usage { return target.Usage{Processor: m.now / 10} }
func (m *metronome) Name() string        { return "metronome" }
func (m *metronome) Close() error        { return nil }

func (m *metronome) Description() target.Description {
	return target.Description{Kind: target.Simulated}
}

func (m *metronome) Open(target.Shape) (target.Queue, error) { return m, nil }

func (m *metronome) Buffer(slot int) []byte {
	if m.buffers == nil {
		return nil
	}
	return m.buffers[slot]
}

func (m *metronome) Submit(operations []target.Operation) error {
	for _, operation := range operations {
		service := m.service
		if operation.Action == target.Flush {
			service = m.flushTime
		} else {
			m.offsets = append(m.offsets, operation.Offset)
		}
		if operation.Action == target.Write && m.buffers != nil {
			m.writes = append(m.writes, append([]byte(nil), operation.Payload(m.buffers[operation.Slot])...))
		}
		var err error
		if m.served++; m.fail != nil {
			err = m.fail(m.served)
		}
		if m.slow != nil {
			service += m.slow(m.served)
		}
		m.free = max(m.free, m.now) + service
		m.pending = append(m.pending, target.Completion{Slot: operation.Slot, Submitted: m.now, Completed: m.free,
			Err: err})
	}
	m.deepest = max(m.deepest, len(m.pending))
	return nil
}

func (m *metronome) Wait(done []target.Completion, until time.Duration) (int, error) {
	if len(m.pending) == 0 || m.pending[0].Completed > until {
		m.now = max(m.now, until)
		return 0, nil
	}
	m.now = max(m.now, m.pending[0].Completed)
	done[0] = m.pending[0]
	m.pending = m.pending[1:]
	return 1, nil
}

// asking returns a request with a timing and a watch, on the area that its load's span says.
func asking(r Request, timing Timing, watch Watch) Request {
	r.Timing = timing
	r.Watch = watch
	if r.Area == (load.Area{}) {
		r.Area, _ = r.Load.Area(load.Geometry{Length: r.Span, Cell: r.Ledger.Cell()})
	}
	return r
}

func (m *metronome) run(t *testing.T, request Request, timing Timing) Result {
	t.Helper()
	result, err := Run(context.Background(), m, asking(request, timing, Watch{}))
	if err != nil {
		t.Fatal(err)
	}
	return result
}

var (
	readLoad  = Request{Load: load.Load{Operation: load.Read, Block: 4096, Depth: 4, Span: 64 * 4096}, Seed: 1}
	writeLoad = Request{Load: load.Load{Operation: load.Write, WriteShare: 1, Block: 4096, Depth: 4,
		Span: 64 * 4096}, Seed: 1}
	tenSeconds = Timing{Settle: 100 * time.Millisecond, Hold: 10 * time.Second, Sample: time.Second}
)

func TestReadsAreCountedInTheirWindow(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	result := m.run(t, readLoad, tenSeconds)
	if result.Elapsed != 10*time.Second {
		t.Errorf("elapsed %s, want exactly the hold", result.Elapsed)
	}
	if result.Operations != 10_000 {
		t.Errorf("%d operations, want 10000", result.Operations)
	}
	if got := result.Latency.P50Seconds; !(math.Abs(got-0.004) <= 0.00001) {
		t.Errorf("p50 is %v s, want 0.004: four operations, one millisecond each", got)
	}
	if m.deepest != 4 {
		t.Errorf("the queue was %d deep, want 4", m.deepest)
	}
	if off := result.Usage.Processor - time.Second; off < 0 || off > 10*time.Millisecond {
		t.Errorf("processor time %s, want a tenth of the window", result.Usage.Processor)
	}
}

func TestWritesCountToTheEndOfTheFlush(t *testing.T) {
	m := &metronome{service: time.Millisecond, flushTime: 300 * time.Millisecond}
	result := m.run(t, writeLoad, tenSeconds)
	if result.Flush != 300*time.Millisecond {
		t.Errorf("the flush took %s, want 300ms", result.Flush)
	}
	if want := 10*time.Second + 3*time.Millisecond + 300*time.Millisecond; result.Elapsed < want-5*time.Millisecond ||
		result.Elapsed > want+5*time.Millisecond {
		t.Errorf("elapsed %s, want about %s: the hold, what was under way, the flush", result.Elapsed, want)
	}
}

func TestSamplesAddUpToThePass(t *testing.T) {
	for name, request := range map[string]Request{"read": readLoad, "write": writeLoad} {
		for _, hold := range []time.Duration{10 * time.Second, 2300 * time.Millisecond, 2700 * time.Millisecond,
			50 * time.Millisecond} {
			m := &metronome{service: 700 * time.Microsecond, flushTime: 40 * time.Millisecond}
			result := m.run(t, request, Timing{Settle: 10 * time.Millisecond, Hold: hold, Sample: time.Second})
			var bytes unit.Bytes
			var operations int64
			var elapsed, last time.Duration
			for _, sample := range result.Samples {
				bytes += sample.Bytes
				operations += sample.Operations
				elapsed += sample.Elapsed
				last = sample.At
			}
			if bytes != result.Bytes || operations != result.Operations {
				t.Errorf("%s %s: samples have %d bytes in %d operations, the pass %d in %d", name, hold, bytes,
					operations, result.Bytes, result.Operations)
			}
			if before := result.Elapsed - result.Flush; elapsed != before || last != before {
				t.Errorf("%s %s: samples last %s and end at %s, the pass lasts %s to its flush", name, hold, elapsed,
					last, before)
			}
		}
	}
}

func TestSlowDeviceStillGivesAFigure(t *testing.T) {
	m := &metronome{service: 4 * time.Second}
	request := readLoad
	request.Depth = 1
	result := m.run(t, request, Timing{Hold: time.Second, Sample: time.Second})
	if result.Operations != 1 || result.Elapsed != 4*time.Second {
		t.Errorf("%d operations in %s, want 1 in 4s", result.Operations, result.Elapsed)
	}
}

func TestBytesEndAPass(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	result := m.run(t, writeLoad, Timing{Bytes: 64 * 4096, Sample: time.Second})
	if result.Bytes != 64*4096 || result.CutShort {
		t.Errorf("%d bytes, cut short %v; want exactly 64 blocks", result.Bytes, result.CutShort)
	}
	for i, offset := range m.offsets {
		if offset != int64(i)*4096 {
			t.Fatalf("write %d went to %d, want every block once, in order", i, offset)
		}
	}
}

func TestRandomOffsetsCoverTheSpan(t *testing.T) {
	request := readLoad
	request.Access = load.Random
	m := &metronome{service: time.Millisecond}
	m.run(t, request, tenSeconds)
	seen := map[int64]int{}
	for _, offset := range m.offsets {
		if offset%4096 != 0 || offset < 0 || offset >= int64(request.Span) {
			t.Fatalf("offset %d is outside of the span or between blocks", offset)
		}
		seen[offset]++
	}
	// 10 000 draws over 64 blocks: each is expected 157 times, with a standard
	// deviation of 12.4.
	for offset, count := range seen {
		if count < 95 || count > 220 {
			t.Errorf("block at %d was read %d times, want about 157", offset, count)
		}
	}
	if len(seen) != 64 {
		t.Errorf("%d of 64 blocks were read", len(seen))
	}
}

func TestWritesNeverRepeatASector(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	for range 4 {
		m.buffers = append(m.buffers, make([]byte, 4096))
	}
	m.run(t, writeLoad, Timing{Hold: time.Second, Sample: time.Second})
	seen := map[string]bool{}
	for _, block := range m.writes {
		for i := 0; i < len(block); i += 512 {
			if data := string(block[i : i+512]); seen[data] {
				t.Fatal("a sector was written twice with the same data")
			} else {
				seen[data] = true
			}
		}
	}
	if len(seen) < 5000 {
		t.Errorf("only %d sectors were written", len(seen))
	}
}

func TestFailedOperationsAreCountedAndBorne(t *testing.T) {
	broken := errors.New("unreadable sector")
	m := &metronome{service: time.Millisecond, fail: func(served int) error {
		if served%200 == 0 {
			return broken
		}
		return nil
	}}
	result := m.run(t, readLoad, tenSeconds)
	if result.Errors != 50 || !errors.Is(result.FirstError, broken) {
		t.Errorf("%d errors, the first %v; want 50", result.Errors, result.FirstError)
	}
	if result.Operations+result.Errors != 10_000 {
		t.Errorf("%d operations and %d errors, want 10000 together", result.Operations, result.Errors)
	}
}

func TestAPassThatKeepsFailingIsGivenUp(t *testing.T) {
	m := &metronome{service: time.Millisecond, fail: func(int) error { return errors.New("gone") }}
	result, err := Run(context.Background(), m, asking(readLoad, tenSeconds, Watch{}))
	if !errors.Is(err, ErrTooManyErrors) || result.FirstError == nil || !result.CutShort {
		t.Errorf("error %v, result %+v", err, result)
	}
}

func TestInterruptKeepsWhatWasMeasured(t *testing.T) {
	for name, request := range map[string]Request{"read": readLoad, "write": writeLoad} {
		ctx, cancel := context.WithCancel(context.Background())
		m := &metronome{service: time.Millisecond, flushTime: time.Millisecond}
		watch := Watch{Progress: func(p Progress) {
			if p.Counting && p.Elapsed > 3*time.Second {
				cancel()
			}
		}}
		result, err := Run(ctx, m, asking(request, tenSeconds, watch))
		if err != nil || !result.CutShort {
			t.Fatalf("%s: error %v, cut short %v", name, err, result.CutShort)
		}
		if result.Elapsed < 3*time.Second || result.Elapsed > 4*time.Second || result.Operations < 3000 {
			t.Errorf("%s: %d operations in %s kept", name, result.Operations, result.Elapsed)
		}
		if len(m.pending) != 0 {
			t.Errorf("%s: %d operations were left under way", name, len(m.pending))
		}
	}
}

func TestTemperaturesAreReadWithEachSample(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	watch := Watch{Sense: func() Senses {
		return Senses{Temperatures: map[string]unit.Celsius{"drive": unit.Celsius(m.now.Seconds())}}
	}}
	result, err := Run(context.Background(), m, asking(readLoad, Timing{Hold: 5 * time.Second, Sample: time.Second},
		watch))
	if err != nil || len(result.Samples) != 5 {
		t.Fatalf("%d samples, %v", len(result.Samples), err)
	}
	if got := result.Samples[2].Temperatures["drive"]; !(math.Abs(float64(got)-3) <= 0.01) {
		t.Errorf("the third sample has %v, want 3", got)
	}
}

func TestRunRefuses(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	for name, change := range map[string]func(*Request, *Timing){
		"depth 0":     func(l *Request, _ *Timing) { l.Depth = 0 },
		"no block":    func(l *Request, _ *Timing) { l.Block = 0 },
		"small span":  func(l *Request, _ *Timing) { l.Span = 100 },
		"share of 2":  func(l *Request, _ *Timing) { l.WriteShare = 2 },
		"no number":   func(l *Request, _ *Timing) { l.CompressibleShare = math.NaN() },
		"mad rate":    func(l *Request, _ *Timing) { l.Rate = 1e12 },
		"other block": func(l *Request, _ *Timing) { l.Area, _ = load.Geometry{Length: l.Span}.Area(512) },
		"other cell": func(l *Request, _ *Timing) {
			l.Ledger = NewLedger(load.Geometry{Length: l.Span, Cell: 512}, 1)
			l.Area, _ = l.Load.Area(load.Geometry{Length: l.Span})
		},
		"endless":     func(_ *Request, t *Timing) { t.Hold = 0 },
		"no sampling": func(_ *Request, t *Timing) { t.Sample = 0 },
	} {
		request, timing := readLoad, tenSeconds
		change(&request, &timing)
		if _, err := Run(context.Background(), m, asking(request, timing, Watch{})); err == nil {
			t.Errorf("%s: no error", name)
		}
	}
}

func TestHotPathDoesNotAllocate(t *testing.T) {
	m := &metronome{service: time.Millisecond}
	w := &worker{target: m, queue: m, request: readLoad, look: func(time.Duration, *meter) {},
		enough: func() bool { return false }}
	w.meter = newMeter(time.Hour, nil)
	w.meter.beatEnd = forever
	w.prepare(0)
	w.meter.start(0)
	completion := target.Completion{Completed: time.Microsecond}
	if allocations := testing.AllocsPerRun(1000, func() {
		w.fill(&target.Operation{})
		w.meter.record(&completion, 0, 4096)
	}); allocations != 0 {
		t.Errorf("%v allocations an operation, want none", allocations)
	}
}
