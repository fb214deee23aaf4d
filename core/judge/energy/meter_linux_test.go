package energy_test

import (
	"context"
	"fmt"
	"math"
	"os"
	"testing"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/bench/sensor"
	"opengauge/core/judge/energy"
	"opengauge/core/measure/run"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// nowhere keeps nothing.
type nowhere struct{}

func (nowhere) Begin(*session.Session) error       { return nil }
func (nowhere) AddPass(string, session.Pass) error { return nil }
func (nowhere) Finish(*session.Session) error      { return nil }
func (nowhere) Discard(string) error               { return nil }

// truth is the power that the meters measure, in watts: it rises, falls, and rises again within a pass.
func truth(at time.Duration) float64 {
	return 4 + 1.5*math.Sin(2*math.Pi*at.Seconds()/1.7) + 0.2*at.Seconds()
}

// joules integrates the truth, in steps of a millisecond.
func joules(from, to time.Duration) float64 {
	sum := 0.0
	for at := from; at < to; at += time.Millisecond {
		sum += truth(at+time.Millisecond/2) * 1e-3
	}
	return sum
}

// speak writes lines of a meter ten times a second until the context ends. A noisy meter writes garbage in
// between.
func speak(ctx context.Context, meter *os.File, began time.Time, line func(watts float64) string, noisy bool) {
	for i := 0; ctx.Err() == nil; i++ {
		_, _ = meter.WriteString(line(truth(time.Since(began))))
		if noisy && i%4 == 1 {
			_, _ = meter.WriteString("\x92\xf3 4\xff\x81\r\n")
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// Meters of seven kinds on serial lines cover all of every pass and rest, and their energy is the true one.
func TestMetersCoverEveryPass(t *testing.T) {
	for _, c := range []struct {
		name, probe string
		line        func(watts float64) string
	}{
		{"a plain number", "usb:power=serial:%s", func(w float64) string { return fmt.Sprintf("%.3f\n", w) }},
		{"with its unit", "usb:power=serial:%s", func(w float64) string { return fmt.Sprintf("%.3f W\r\n", w) }},
		{"another unit", "usb:power=serial:%s", func(w float64) string { return fmt.Sprintf("%.1f mW\n", w*1000) }},
		{"declared", "usb:power[mW]=serial:%s", func(w float64) string { return fmt.Sprintf("%.1f\r", w*1000) }},
		{"carriage returns", "usb:power=serial:%s", func(w float64) string { return fmt.Sprintf("P=%.3f W\r", w) }},
		{"a channel", "usb:power=serial:%s#1", func(w float64) string { return fmt.Sprintf("CH1 %.3f W\n", w) }},
		{"volts and amperes", "serial:%s#usb:voltage=1;usb:current=2",
			func(w float64) string { return fmt.Sprintf("5.00V %.2fmA\n", w*200) }},
	} {
		for _, noisy := range []bool{false, true} {
			t.Run(fmt.Sprintf("%s, noisy %v", c.name, noisy), func(t *testing.T) {
				t.Parallel() // it mostly waits
				measuredBeside(t, c.probe, c.line, noisy)
			})
		}
	}
}

func measuredBeside(t *testing.T, text string, line func(watts float64) string, noisy bool) {
	t.Helper()
	meter, end := witness.Terminal(t, 24, 80)
	sources, err := sensor.ParseProbes([]string{fmt.Sprintf(text, end.Name())})
	if err != nil {
		t.Fatal(err)
	}
	p, err := plan.Parse("p", []byte("plan: p\nsteps:\n  - sweep: {operation: [read, write], access: random, "+
		"block: 64KiB, depth: 1, rate: 200, hold: 2s}\n  - rest: {for: 1s}\n"))
	if err != nil {
		t.Fatal(err)
	}
	on, err := target.OpenPath(t.TempDir(), target.PathOptions{Size: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	defer on.Close()
	began := time.Now()
	speaking, hush := context.WithCancel(context.Background())
	defer hush()
	go speak(speaking, meter, began, line, noisy)
	time.Sleep(300 * time.Millisecond) // it speaks before anybody listens
	s, err := run.Run(context.Background(), run.Request{
		ID: session.NewID(), Plan: p, Hold: time.Second, Target: on, Sensors: sensor.NewPoller(sources),
		Chain: link.NewChain(), Sample: 500 * time.Millisecond,
	}, nowhere{}, nil)
	if err != nil {
		t.Fatal(err)
	}
	check := func(what string, draws []energy.Draw, started, elapsed float64) {
		if len(draws) != 1 {
			t.Fatalf("%s: %d meters, events %+v", what, len(draws), s.Events)
		}
		from := s.Started.Add(unit.Duration(started)).Sub(began)
		want := joules(from, from+unit.Duration(elapsed))
		if share := draws[0].CoveredSeconds / elapsed; !(share >= 0.98) || !(math.Abs(draws[0].Joules/want-1) <= 0.02) {
			t.Errorf("%s: %.3f of %.2f s are covered, with %.2f J of %.2f", what, share, elapsed, draws[0].Joules, want)
		}
	}
	for i := range s.Passes {
		check(s.Passes[i].Label(), energy.Of(s, &s.Passes[i]), s.Passes[i].StartedSeconds, s.Passes[i].ElapsedSeconds)
	}
	check("rest", energy.OfRest(&s.Rests[0]), s.Rests[0].StartedSeconds, s.Rests[0].ElapsedSeconds)
}
