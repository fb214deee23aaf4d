package run

import (
	"context"
	"fmt"
	"math"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/event"
	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// goldenPlans are run on a simulated part, each of which shows another side of the runner.
var goldenPlans = []struct{ part, plan string }{
	{"sandpiper", "quick"}, {"sandpiper", "depth-map"}, {"dunlin", "levels"}, {"curlew", "cool-repeats"},
	{"sandpiper", "run-on"}, {"lagoon-burst", "latency-under-load"}, {"curlew", "data-kinds"}, {"curlew", "start"},
}

// Runs on simulated parts repeat exactly: every pass, what was filled in, what happened,
// what was moved, and what was told meanwhile.
func TestSimulatedRunsAreWhatTheyWere(t *testing.T) {
	for _, c := range goldenPlans {
		bench, err := sim.DemoBench()
		if err != nil {
			t.Fatal(err)
		}
		part, err := bench.Open(c.part, sim.Options{Ambient: 23, Seed: 4})
		if err != nil {
			t.Fatal(err)
		}
		asked := loadedOr(t, c.plan, "levels", `plan: levels
steps:
  - fill:
      levels: [0%, 1%, 2%]
      steps:
        - sweep: {operation: [read, write], access: random, block: 64KiB, depth: 8, hold: 2s}
  - rest: {for: 30s}
`)
		told := []string{}
		s, err := Run(context.Background(), Request{
			ID: "golden", Plan: asked, Hold: plan.DefaultHold, Target: part, Sensors: part,
			Chain: part.Chain(), StallAfter: StallAfter,
		}, &notebook{}, func(p Progress) {
			line := fmt.Sprintf("%s %d/%d", p.Doing, p.Pass, p.Passes)
			if p.Ended != nil {
				line = fmt.Sprintf("%s %.3f done, %s left", line, p.Share, p.Left.Round(time.Millisecond))
			}
			if len(told) == 0 || told[len(told)-1] != line {
				told = append(told, line)
			}
		})
		if err != nil {
			t.Fatalf("%s: %v", c.plan, err)
		}
		witness.CheckKept(t, filepath.Join("testdata", c.plan+".txt"), recordOf(s)+"\n"+strings.Join(told, "\n")+"\n")
	}
}

// loadedOr loads a plan by its name, or reads the one of that name.
func loadedOr(t *testing.T, name, own, text string) plan.Plan {
	t.Helper()
	if name != own {
		return loaded(t, name)
	}
	return must(t)(plan.Parse("plan.yaml", []byte(text)))
}

// A contention of simulated parts on one hop, which share it in turns.
func TestASimulatedContentionSharesItsHop(t *testing.T) {
	bench, err := sim.DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	shared := &sim.SharedHop{Carries: 1040e6}
	open := func(name string) *sim.Device {
		part, err := bench.Open(name, sim.Options{Ambient: 23, Seed: 4, Shared: shared})
		if err != nil {
			t.Fatal(err)
		}
		return part
	}
	part, other := open("sandpiper"), open("curlew")
	p, err := plan.Parse("plan.yaml",
		[]byte("plan: of-a-test\nsteps:\n  - contend: {with: \"sim:curlew\", operation: read, "+
			"access: sequential, block: 1MiB, depth: 8}\n"))
	if err != nil {
		t.Fatal(err)
	}
	s, err := Run(context.Background(), Request{
		ID: "golden", Plan: p, Hold: plan.DefaultHold, Target: part, Sensors: part, Chain: part.Chain(),
		Others:   []Other{{Address: "sim:curlew", Target: other, Chain: other.Chain()}},
		Together: sim.KeepTogether,
	}, &notebook{}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if len(s.Contentions) != 1 || len(s.Contentions[0].Members) != 2 || s.State != session.Complete {
		t.Fatalf("%s with %+v", s.State, s.Contentions)
	}
	first, second := s.Contentions[0].Members[0], s.Contentions[0].Members[1]
	if first.Address != "sim:sandpiper" || second.Address != "sim:curlew" {
		t.Errorf("members are %s and %s", first.Address, second.Address)
	}
	sum := float64(first.Together.BytesPerSecond + second.Together.BytesPerSecond)
	if !(math.Abs(sum/1040e6-1) < 0.01) {
		t.Errorf("together they move %.0f MB/s over a hop of 1040", sum/1e6)
	}
	for _, m := range []session.Member{first, second} {
		if !(m.Together.BytesPerSecond < m.Alone.BytesPerSecond) || m.Together.ElapsedSeconds != 5 {
			t.Errorf("%s: alone %.0f, together %.0f over %v s", m.Address, m.Alone.BytesPerSecond,
				m.Together.BytesPerSecond,
				m.Together.ElapsedSeconds)
		}
	}
	if len(s.Moved) != 2 || s.Moved[0].ReadBytes < first.Alone.Bytes+first.Together.Bytes ||
		s.Moved[1].WrittenBytes != 0 {
		t.Errorf("moved are %+v", s.Moved)
	}
}

// recordOf is a session in lines.
func recordOf(s *session.Session) string {
	text := strings.Builder{}
	fmt.Fprintf(&text, "%s %s %+v moved %v, %s\n", s.State, s.Plan.Name, s.Target, s.Moved, s.Ended.Sub(s.Started))
	for i := range s.Passes {
		fmt.Fprintln(&text, passText(&s.Passes[i]))
	}
	for _, e := range s.Estimates {
		fmt.Fprintf(&text, "estimate %s: %.0f, %.1f\n", e.Load, e.BytesPerSecond, e.IOPS)
	}
	for _, e := range s.Events {
		fmt.Fprintf(&text, "%s %.3f %s\n", e.Kind, e.TSeconds, e.Detail)
	}
	return text.String()
}

func passText(p *session.Pass) string {
	text := fmt.Sprintf("%d %s %s, within %d, direct %v, late %v", p.Index, p.Step, p.Label(), p.Span, p.Direct,
		p.Lateness != nil)
	text += fmt.Sprintf(" asked %.3f fill %.2f repeat %d by %s from %.4f settle %.3f lasts %.6f flush %.6f",
		p.AskedSeconds, p.FillShare, p.Repeat, p.Queue, p.StartedSeconds, p.SettleSeconds, p.ElapsedSeconds,
		p.FlushSeconds)
	text += fmt.Sprintf(" moves %d in %d, %.1f and %.2f, depth %.3f, cut off %d, latency %.7f %.7f %.7f %.7f",
		p.Bytes, p.Operations, p.BytesPerSecond, p.IOPS, p.MeanDepth, p.CutOffOperations, p.Latency.Mean, p.Latency.P50,
		p.Latency.P99, p.Latency.Max)
	if i := p.Throughput; i != nil {
		text += fmt.Sprintf(" interval %.1f to %.1f", i.Low, i.High)
	}
	if p.Steady != nil {
		text += fmt.Sprintf(" steady %+v", *p.Steady)
	}
	last := p.Samples[len(p.Samples)-1]
	return text + fmt.Sprintf(" samples %d, the last %.3f %.3f %d %d %.7f %v", len(p.Samples), last.TSeconds,
		last.ElapsedSeconds, last.Bytes, last.Operations, last.P99Seconds, last.TemperaturesCelsius)
}

// A pass at a fixed rate says how late it began, and a stall names the target that it is
// of, where there are several.
func TestRatesAndStallsAreRecorded(t *testing.T) {
	request := folder(t, t.TempDir(),
		must(t)(plan.Parse("plan.yaml", []byte("plan: p\nsteps:\n  - sweep: {operation: read, "+
			"access: random, block: 4KiB, depth: 2, rate: [500, 1000], hold: 200ms}\n"))))
	s, err := Run(context.Background(), request, &notebook{}, nil)
	if err != nil || len(s.Passes) != 2 {
		t.Fatalf("%d passes, %v", len(s.Passes), err)
	}
	for _, p := range s.Passes {
		if p.Lateness == nil || p.Lateness.P99 < p.Lateness.P50 || p.SpinSeconds <= 0 {
			t.Errorf("%s: late %+v, spun for %v s", p.Label(), p.Lateness, p.SpinSeconds)
		}
	}
	r := newRunner(request, &notebook{}, nil)
	r.request.StallAfter = 3 * time.Second
	other := desk{address: "other"}
	r.stallOf(&r.main)(engine.Stall{At: r.began + time.Second, Offset: 512})
	r.stallOf(&other)(engine.Stall{At: r.began + 2*time.Second, Over: true})
	if e := r.events.events; len(e) != 2 || e[0].Kind != "stall" || e[0].TSeconds != 1 || e[1].Kind != "return" ||
		e[0].Detail != "an operation at byte 512 was under way for more than 3s" ||
		e[1].Detail != "the storage of other answers again" {
		t.Errorf("events are %+v", e)
	}
}

// A pass that its time ends before it has moved what it was to says so.
func TestALimitIsTold(t *testing.T) {
	for bytes, want := range map[string]int{"1MiB": 1, "8KiB": 0} {
		s, err := Run(context.Background(), folder(t, t.TempDir(),
			must(t)(plan.Parse("plan.yaml", []byte("plan: p\nsteps:\n  - sweep: {operation: read, access: random, block: 4KiB, "+
				"depth: 1, rate: 50, hold: 300ms, bytes: "+bytes+"}\n")))), &notebook{}, nil)
		if err != nil {
			t.Fatal(err)
		}
		told := 0
		for _, e := range s.Events {
			const why = "was to move 1.05 MB, and its limit of 300ms ended it after"
			if e.Kind == event.Limit && strings.Contains(e.Detail, why) {
				told++
			}
		}
		if told != want {
			t.Errorf("%s: events %+v", bytes, s.Events)
		}
	}
}

// What passes at a level touch: what is filled, before that a small part of the lowest
// level, and of a folder the test file.
func TestWhatALevelTouches(t *testing.T) {
	request := simulated(t, "quick", 1)
	p, err := plan.Parse("plan.yaml", []byte("plan: p\nsteps:\n  - fill:\n      levels: [0%, 5%, 20%]\n      steps:\n"+
		"        - sweep: {operation: write, access: random, block: 48KiB, depth: 1}\n"))
	if err != nil {
		t.Fatal(err)
	}
	request.Plan = p
	r := newRunner(request, &notebook{}, nil)
	pass := p.Passes(plan.DefaultHold)[0]
	const whole = 2 * unit.GiB
	for _, c := range []struct{ filled, span, want unit.Bytes }{
		{0, whole, whole / 20 / (48 * unit.KiB) * (48 * unit.KiB)},
		{0, 200 * unit.GiB, unit.GiB / (48 * unit.KiB) * (48 * unit.KiB)},
		{whole / 2, whole, whole / 2}, {whole, whole / 4, whole / 4}, {0, 96 * unit.KiB, 48 * unit.KiB},
	} {
		r.main.filledTo = c.filled
		if got := r.filledSpan(&r.main, pass, c.span); got != c.want {
			t.Errorf("filled to %d of %d: %d are touched, want %d", c.filled, c.span, got, c.want)
		}
	}
	if !r.fillsByLevels(r.main.Description()) || r.lowestLevel() != 0.05 {
		t.Errorf("the lowest level is %v", r.lowestLevel())
	}
	file := newRunner(folder(t, t.TempDir(), p), &notebook{}, nil)
	if got := file.filledSpan(&file.main, pass, whole); got != whole || file.fillsByLevels(file.main.Description()) {
		t.Errorf("%d of a folder's test file are touched", got)
	}
}
