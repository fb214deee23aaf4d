package run

import (
	"context"
	"errors"
	"math"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/bench/sensor"
	"opengauge/core/load"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// notebook keeps a session in memory.
type notebook struct {
	passes   []session.Pass
	finished *session.Session
	dropped  bool
	fail     error
}

func (n *notebook) Begin(*session.Session) error { return n.fail }
func (n *notebook) AddPass(_ string, p session.Pass) error {
	n.passes = append(n.passes, p)
	return n.fail
}
func (n *notebook) Finish(s *session.Session) error { n.finished = s; return n.fail }
func (n *notebook) Discard(string) error            { n.dropped = true; return nil }
func loaded(t *testing.T, name string) plan.Plan    { t.Helper(); return must(t)(plan.Load(name)) }
func must(t *testing.T) func(p plan.Plan, err error) plan.Plan {
	return func(p plan.Plan, err error) plan.Plan {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
}

func simulated(t *testing.T, planName string, seed uint64) Request {
	t.Helper()
	bench, err := sim.DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	part, err := bench.Open("sandpiper", sim.Options{Ambient: 23, Seed: seed})
	if err != nil {
		t.Fatal(err)
	}
	return Request{
		ID: session.NewID(), Plan: loaded(t, planName), Hold: plan.DefaultHold,
		Target: part, Sensors: part, Chain: part.Chain(), Conditions: map[string]string{},
	}
}

func folder(t *testing.T, path string, p plan.Plan) Request {
	t.Helper()
	opened, err := target.OpenPath(path, target.PathOptions{Size: 4 * unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = opened.Close() })
	return Request{ID: "test", Plan: p, Hold: 20 * time.Millisecond, Target: opened, Sensors: sensor.None{},
		Chain: link.NewChain()}
}

func TestFiveSimulatedMinutesRepeatExactly(t *testing.T) {
	var sessions []*session.Session
	began := time.Now()
	for range 2 {
		s, err := Run(context.Background(), simulated(t, "long-write", 9), &notebook{}, nil)
		if err != nil {
			t.Fatal(err)
		}
		sessions = append(sessions, s)
	}
	if !reflect.DeepEqual(sessions[0].Passes, sessions[1].Passes) {
		t.Error("the same seed gives different passes")
	}
	if !sessions[0].Simulated || sessions[0].State != session.Complete {
		t.Errorf("simulated %v, state %s", sessions[0].Simulated, sessions[0].State)
	}
	pass := sessions[0].Passes[0]
	if pass.ElapsedSeconds < 300 || pass.ElapsedSeconds > 301 || len(pass.Samples) < 300 {
		t.Errorf("the pass lasts %v s in %d samples", pass.ElapsedSeconds, len(pass.Samples))
	}
	// Not a figure of speed: a run in real time would take ten minutes.
	if took := time.Since(began); took > time.Minute {
		t.Errorf("two simulated runs took %s of real time", took)
	}
	other, err := Run(context.Background(), simulated(t, "long-write", 10), &notebook{}, nil)
	if err != nil || reflect.DeepEqual(other.Passes, sessions[0].Passes) {
		t.Errorf("another seed gives the same passes, %v", err)
	}
}

func TestARealFolder(t *testing.T) {
	path := t.TempDir()
	book := &notebook{}
	var ended int
	s, err := Run(context.Background(), folder(t, path, loaded(t, "quick")), book, func(p Progress) {
		if p.Share < 0 || p.Share > 1 || p.Left < 0 {
			t.Errorf("progress %+v", p)
		}
		if p.Ended != nil {
			ended++
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	if len(s.Passes) != 6 || len(book.passes) != 6 || ended != 6 || book.finished != s {
		t.Fatalf("%d passes, %d kept, %d told", len(s.Passes), len(book.passes), ended)
	}
	for _, pass := range s.Passes {
		var bytes unit.Bytes
		for _, sample := range pass.Samples {
			bytes += sample.Bytes
		}
		if bytes != pass.Bytes || pass.Bytes == 0 || pass.Bytes != unit.Bytes(pass.Operations)*pass.Block {
			t.Errorf("pass %d: samples have %d bytes, the pass %d in %d operations", pass.Index, bytes, pass.Bytes,
				pass.Operations)
		}
		if rate := float64(pass.Bytes) / pass.ElapsedSeconds; !(math.Abs(rate/float64(pass.BytesPerSecond)-1) <= 1e-12) {
			t.Errorf("pass %d: bytes / elapsed is %v, bytes_per_second %v", pass.Index, rate, pass.BytesPerSecond)
		}
		if writes := pass.Operation == load.Write; writes != (pass.FlushSeconds > 0) {
			t.Errorf("pass %d (%s) flushed for %v s", pass.Index, pass.Operation, pass.FlushSeconds)
		}
		if pass.Latency.P50 <= 0 || pass.Latency.P50 > pass.Latency.P99 || pass.Latency.P99 > pass.Latency.Max {
			t.Errorf("pass %d: latencies %+v", pass.Index, pass.Latency)
		}
	}
}

func TestAnExistingFileIsNeverWritten(t *testing.T) {
	name := filepath.Join(t.TempDir(), "footage")
	if err := os.WriteFile(name, make([]byte, 4*unit.MiB), 0o600); err != nil {
		t.Fatal(err)
	}
	book := &notebook{}
	request := folder(t, name, loaded(t, "quick-read"))
	if s, err := Run(context.Background(), request, book, nil); err != nil || len(s.Passes) != 3 {
		t.Fatalf("reading a file: %v", err)
	}
	request.Plan = loaded(t, "quick")
	var refused *ReadOnlyError
	if _, err := Run(context.Background(), request, &notebook{}, nil); !errors.As(err, &refused) {
		t.Errorf("a plan that writes to a file gives %v", err)
	}
}

func TestInterruptedRuns(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	book := &notebook{}
	s, err := Run(ctx, simulated(t, "quick", 1), book, func(p Progress) {
		if p.Pass == 3 && p.Rate > 0 {
			cancel()
		}
	})
	if err != nil || s.State != session.Interrupted || len(s.Passes) < 3 {
		t.Fatalf("state %s with %d passes, %v", s.State, len(s.Passes), err)
	}
	if !s.Passes[2].CutShort || s.Passes[1].CutShort {
		t.Error("not exactly the pass in progress is marked as cut short")
	}

	ctx, cancel = context.WithCancel(context.Background())
	cancel()
	book = &notebook{}
	if s, err := Run(ctx, simulated(t, "quick", 1), book, nil); err != nil || len(s.Passes) != 0 || !book.dropped {
		t.Errorf("a run without a pass: %v, discarded %v", err, book.dropped)
	}
}

func TestAFailingLogbookIsReported(t *testing.T) {
	full := errors.New("disk full")
	if _, err := Run(context.Background(), simulated(t, "quick", 1), &notebook{fail: full}, nil); !errors.Is(err,
		full) {
		t.Errorf("error is %v, want the logbook's", err)
	}
}

func TestASpanBelowABlockIsRefused(t *testing.T) {
	request := folder(t, t.TempDir(),
		must(t)(plan.Parse("p", []byte("plan: p\nsteps:\n  - sweep: {operation: read, access: random, block: 8MiB, "+
			"depth: 1}\n"))))
	if _, err := Run(context.Background(), request, &notebook{}, nil); err == nil ||
		!strings.Contains(err.Error(), "below one block") {
		t.Errorf("error is %v", err)
	}
}

// parsed runs a plan on the simulated QLC drive with its fan on.
func parsed(t *testing.T, source string) *session.Session {
	t.Helper()
	bench, err := sim.DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	part, err := bench.Open("dunlin", sim.Options{Enclosure: "barnacle", Cooling: sim.AlwaysOn, Ambient: 23, Seed: 1})
	if err != nil {
		t.Fatal(err)
	}
	request := Request{
		ID: session.NewID(), Plan: must(t)(plan.Parse("p", []byte("plan: p\nsteps:\n"+source))), Hold: time.Second,
		Target: part, Sensors: part, Chain: part.Chain(), Conditions: map[string]string{}, ReturnWithin: time.Minute,
	}
	s, err := Run(context.Background(), request, &notebook{}, nil)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func TestFillLevelsAndRest(t *testing.T) {
	s := parsed(t, `  - fill:
      levels: [0%, 90%]
      steps:
        - sweep: {operation: read, access: sequential, block: 1MiB, depth: 16, hold: 5s}
  - sweep: {operation: read, access: sequential, block: 1MiB, depth: 16, hold: 5s}
  - rest: {until-below: 30C, at-most: 30m}
  - sweep: {operation: read, access: sequential, block: 1MiB, depth: 16, hold: 5s}
`)
	if len(s.Passes) != 4 || s.Passes[1].FillShare != 0.9 ||
		s.Passes[1].BytesPerSecond > s.Passes[0].BytesPerSecond*8/10 {
		t.Fatalf("empty %v, full %v", s.Passes[0].BytesPerSecond, s.Passes[1].BytesPerSecond)
	}
	if freed := s.Passes[2].BytesPerSecond; freed < s.Passes[0].BytesPerSecond*99/100 {
		t.Errorf("after it was freed the drive reads at %v, before at %v", freed, s.Passes[0].BytesPerSecond)
	}
	rested := s.Passes[3].StartedSeconds - s.Passes[2].StartedSeconds
	if first := s.Passes[3].Samples[0].TemperaturesCelsius["drive"]; rested < 8 || rested > 1500 || first > 33 {
		t.Errorf("the rest took %.0f s, and left the drive at %v", rested, first)
	}
}

func TestSustainEndsWhenSteady(t *testing.T) {
	s := parsed(t, "  - sustain: {operation: write, access: sequential, block: 1MiB, depth: 8, for: 40m, "+
		"until-steady: 20s}\n")
	pass := s.Passes[0]
	// Fast for about a minute, then level: five rounds after that it is steady.
	if pass.Steady == nil || !pass.Steady.Steady || pass.ElapsedSeconds < 150 || pass.ElapsedSeconds > 250 ||
		!(math.Abs(pass.Steady.Mean-190e6) <= 4e6) {
		t.Errorf("after %.0f s the state is %+v", pass.ElapsedSeconds, pass.Steady)
	}
}

func TestRepeatEndsWhenKnown(t *testing.T) {
	s := parsed(t, "  - repeat:\n      times: 9\n      until-within: 2%\n      steps:\n        - sustain: "+
		"{operation: read, access: sequential, block: 1MiB, depth: 8, for: 2s}\n")
	if len(s.Passes) != 3 {
		t.Errorf("%d repeats of something that never varies, want 3", len(s.Passes))
	}
}
