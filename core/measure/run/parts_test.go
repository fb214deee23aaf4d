package run

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"syscall"
	"testing"
	"time"

	"opengauge/core/bench/event"
	"opengauge/core/load"
	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// The first failed operation stands in front of why a pass ended, and is the reason itself
// only where no operation succeeded.
func TestFirstFailure(t *testing.T) {
	first, end := syscall.EIO, errors.New("the end")
	for _, c := range []struct {
		result engine.Result
		err    error
		want   []error
	}{
		{engine.Result{}, nil, nil},
		{engine.Result{Operations: 1}, end, []error{end}},
		{engine.Result{Operations: 1, FirstError: first}, nil, nil},
		{engine.Result{FirstError: first}, nil, []error{first}},
		{engine.Result{Operations: 1, FirstError: first}, end, []error{first, end}},
		{engine.Result{FirstError: first}, end, []error{first, end}},
	} {
		got := firstFailure(c.result, c.err)
		if (got == nil) != (len(c.want) == 0) {
			t.Errorf("%+v, %v: %v", c.result, c.err, got)
		}
		for _, each := range c.want {
			if !errors.Is(got, each) {
				t.Errorf("%+v, %v: %v, without %v", c.result, c.err, got, each)
			}
		}
		if len(c.want) == 2 && strings.Index(got.Error(), "input/output") > strings.Index(got.Error(), "the end") {
			t.Errorf("the first failure is not in front: %v", got)
		}
	}
}

func TestReadOnlyErrorsSayWhatHelps(t *testing.T) {
	for kind, want := range map[target.Medium]string{
		target.Volume: "names its export", target.Device: "unless --overwrite names it;", target.File: "name a folder",
	} {
		err := &ReadOnlyError{Plan: "quick", Address: "/x", Kind: kind}
		if !strings.Contains(err.Error(), want) || !strings.Contains(err.Error(), "quick") ||
			!strings.Contains(err.Error(), "/x") {
			t.Errorf("%s: %v", kind, err)
		}
	}
}

// Going once over a stretch touches all of it, in blocks that fit.
func TestOnceOverCoversAll(t *testing.T) {
	for _, c := range []struct{ from, to unit.Bytes }{
		{0, 0}, {0, 512}, {0, unit.MiB}, {0, 3 * unit.MiB}, {0, 20*unit.MiB + 512}, {5 * unit.MiB, 7*unit.MiB + 4096},
		{0, 8 * unit.MiB}, {unit.MiB, unit.MiB},
	} {
		at := c.from
		works, err := onceOver(load.Write, load.Geometry{Start: c.from, Length: c.to - c.from, Alignment: 512}, unit.MiB)
		if err != nil {
			t.Fatal(err)
		}
		for _, w := range works {
			if w.area.Start() != at || w.timing.Bytes != w.area.Length() || w.Block != w.area.Block() || w.Block > unit.MiB {
				t.Errorf("%v: %+v at %d", c, w, at)
			}
			if blocks := int(w.area.Count()); w.Depth != min(8, blocks) {
				t.Errorf("%v: %d blocks are written %d at a time", c, blocks, w.Depth)
			}
			at += w.area.Length()
		}
		if at != max(c.to, c.from) {
			t.Errorf("%v: it ends at %d", c, at)
		}
	}
}

func TestTheDrivesOwnTemperatureCounts(t *testing.T) {
	for _, c := range []struct {
		temperatures map[string]unit.Celsius
		want         unit.Celsius
		known        bool
	}{
		{nil, 0, false},
		{map[string]unit.Celsius{"drive": 40, "case": 60}, 40, true},
		{map[string]unit.Celsius{"case": 31, "room": 22}, 31, true},
		{map[string]unit.Celsius{"room": -5}, -5, true},
	} {
		if got, known := hottest(c.temperatures); known != c.known || known && got != c.want {
			t.Errorf("%v: %v, %v", c.temperatures, got, known)
		}
	}
}

// answering is a target that says whether it is there.
type answering struct {
	target.Target
	err error
}

func (a answering) Answers() error { return a.err }

// Some errors say that the device is gone; of others it is asked itself.
func TestWhatHasVanished(t *testing.T) {
	there, gone := answering{}, answering{err: errors.New("nobody is there")}
	for _, c := range []struct {
		err  error
		on   target.Target
		want bool
	}{
		{syscall.ENODEV, there, true}, {fmt.Errorf("reading: %w", syscall.ENXIO), there, true}, {fs.ErrNotExist, there, true},
		{syscall.EIO, there, false}, {syscall.EIO, gone, true}, {engine.ErrTooManyErrors, gone, true},
		{engine.ErrTooManyErrors, there, false}, {syscall.ENOSPC, gone, false}, {syscall.EPERM, gone, false},
		{engine.ErrStuck, gone, false},
	} {
		if got := vanished(c.err, c.on); got != c.want {
			t.Errorf("%v, and it answers %v: %v", c.err, c.on.(answering).err, got)
		}
	}
}

func TestWhatHappenedLast(t *testing.T) {
	var l eventLog
	if l.latest() != "" {
		t.Errorf("of nothing: %q", l.latest())
	}
	l.add(90*time.Second, event.Stall, "first")
	l.add(100*time.Second, event.Return, "second")
	if got := l.latest(); got != "return after 100 s: second" {
		t.Errorf("it is %q", got)
	}
	if got := inOneLine(errors.Join(errors.New("a"), errors.New("b"), errors.New("a"))); got != "a; b" {
		t.Errorf("in one line: %q", got)
	}
}

// The times of a session count from its beginning, however long the target was open before:
// a drive that drops off when it is hot, and is back nineteen seconds later.
func TestTimesCountFromTheBeginning(t *testing.T) {
	bench, err := sim.DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	part, err := bench.Open("sandpiper", sim.Options{Enclosure: "whelk", Ambient: 23, Seed: 3})
	if err != nil {
		t.Fatal(err)
	}
	part.Sleep(time.Hour)
	p, err := plan.Parse("hot.yaml", []byte("plan: hot\nsteps:\n  - sweep: {operation: write, access: sequential, "+
		"block: 1MiB, depth: 8, hold: 300s}\n  - sweep: {operation: read, access: sequential, block: 1MiB, depth: 8, "+
		"hold: 10s}\n"))
	if err != nil {
		t.Fatal(err)
	}
	s, err := Run(context.Background(), Request{ID: "k3f9abcdef", Plan: p, Target: part, Sensors: part,
		StallAfter: StallAfter, ReturnWithin: ReturnWithin}, &notebook{}, nil)
	if err != nil || s.State != session.Complete || len(s.Passes) != 2 {
		t.Fatalf("%s with %d passes: %v", s.State, len(s.Passes), err)
	}
	var gone, back float64
	for _, e := range s.Events {
		switch e.Kind {
		case event.Dropout:
			gone = e.TSeconds
		case event.Return:
			back = e.TSeconds
		}
	}
	first, second := s.Passes[0], s.Passes[1]
	end := s.Ended.Sub(s.Started).Seconds()
	if first.StartedSeconds < 0 || first.StartedSeconds > 1 || !(gone > 30 && gone < 310) ||
		!(back-gone > 10 && back-gone < 25) || !(second.StartedSeconds >= back) || !(end > second.StartedSeconds+9) ||
		end > 400 {
		t.Errorf("passes at %.1f and %.1f s, gone at %.1f, back at %.1f, the end at %.1f", first.StartedSeconds,
			second.StartedSeconds, gone, back, end)
	}
}

// How far a run is, and what is left of it, is what its plan and its filling say.
func TestProgressAddsUp(t *testing.T) {
	p, err := plan.Parse("two.yaml", []byte("plan: two\nsteps:\n  - sweep: {operation: [read, write], access: "+
		"sequential, block: 1MiB, depth: 4, hold: 10s}\n"))
	if err != nil {
		t.Fatal(err)
	}
	var told Progress
	d := target.Description{Span: 5 * unit.GB, Unfilled: true}
	tr := newTracker(p, 10*time.Second, d, func(p Progress) { told = p })
	near := func(name string, got, want time.Duration) {
		t.Helper()
		if off := got - want; off < -50*time.Millisecond || off > 50*time.Millisecond {
			t.Errorf("%s: %s, want %s", name, got, want)
		}
	}
	passes := tr.total
	near("the passes", passes, p.Estimate(10*time.Second).Elapsed)
	tr.filling(engine.Progress{})
	near("left before anything was written", told.Left, 10*time.Second+passes)
	tr.filling(engine.Progress{Elapsed: 2 * time.Second, Bytes: unit.GB, Rate: 500e6})
	near("left as it fills", told.Left, 8*time.Second+passes)
	if told.Share <= 0 || told.Share > 0.1 || told.Rate != 500e6 || told.Pass != 0 || told.Passes != 2 {
		t.Errorf("filling is told as %+v", told)
	}
	pass := tr.passes[0]
	tr.begin(pass)
	tr.measuring(engine.Progress{Elapsed: time.Second})
	near("left as it settles", told.Left, passes-time.Second)
	if !strings.HasSuffix(told.Doing, "(settling)") || told.Elapsed != 0 || told.Pass != 1 {
		t.Errorf("settling is told as %+v", told)
	}
	tr.measuring(engine.Progress{Counting: true, Elapsed: 5 * time.Second, Rate: 4 * unit.BytesPerSecond(unit.MiB)})
	near("left as it counts", told.Left, passes-5*time.Second-pass.Settle())
	near("its latency", told.Latency, time.Second)
	if told.Writes || told.Elapsed != 5*time.Second {
		t.Errorf("counting is told as %+v", told)
	}
	tr.measuring(engine.Progress{Flushing: true, Elapsed: 3 * time.Second})
	if !strings.HasSuffix(told.Doing, "(flushing for 3 s)") {
		t.Errorf("flushing is told as %q", told.Doing)
	}
	near("left as it flushes", told.Left, passes-pass.Time())
	tr.end(session.Pass{BytesPerSecond: 7})
	if told.Ended == nil || told.Rate != 7 || told.Pass != 1 {
		t.Errorf("its end is told as %+v", told)
	}
	tr.begin(tr.passes[1])
	tr.measuring(engine.Progress{Counting: true, Elapsed: time.Hour})
	near("left when it takes longer than thought", told.Left, 0)
	if !told.Writes || told.Share != 1 {
		t.Errorf("at the end: %+v", told)
	}
	tr.resting(5*time.Second, 3*time.Second)
	if told.Doing != "resting" || told.Pass != 1 {
		t.Errorf("a rest is told as %+v", told)
	}
	tr.fillingTo(0.5, 0.25)
	if told.Doing != "filling to 50 %, at 25 %" {
		t.Errorf("a level is told as %q", told.Doing)
	}
}
