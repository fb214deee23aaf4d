package finding

import (
	"testing"

	"opengauge/core/bench/event"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// tenSecondsOf is a session of one pass of 10 s that nothing is to be said of, changed as
// asked.
func tenSecondsOf(change func(*session.Session, *session.Pass)) *session.Session {
	p := session.Pass{
		Load: load.New(load.Read, load.Random, 4096, 16), Direct: true, ElapsedSeconds: 10, MeanDepth: 16,
		Bytes: 400 * unit.MB, Operations: 100_000, BytesPerSecond: 40e6, CPUSeconds: 1,
		Latency: session.Latency{P50: 1e-3, P99: 2e-3},
	}
	for i := range 10 {
		p.Samples = append(p.Samples, session.Sample{TSeconds: float64(i + 1), ElapsedSeconds: 1, Bytes: 40 * unit.MB,
			BytesPerSecond: 40e6, Operations: 10_000})
	}
	s := &session.Session{State: session.Complete, Conditions: map[string]string{}, Passes: []session.Pass{p}}
	change(s, &s.Passes[0])
	return s
}

func toWrite(p *session.Pass) { p.Load = load.New(load.Write, load.Random, 4096, 16) }

func deviceRead(bytes unit.Bytes) func(*session.Session, *session.Pass) {
	return func(_ *session.Session, p *session.Pass) { p.DeviceReadBytes = &bytes }
}

func deviceMoved(bytes unit.Bytes, options string) func(*session.Session, *session.Pass) {
	return func(s *session.Session, p *session.Pass) {
		toWrite(p)
		p.DeviceBytes, s.Environment.MountOptions = &bytes, options
	}
}

func deviceDepth(depth float64) func(*session.Session, *session.Pass) {
	return func(_ *session.Session, p *session.Pass) { p.DeviceDepth = &depth }
}

// Each case is on one side of a limit, and the one beside it on the other.
func TestLimitsOfWhatWasMeasured(t *testing.T) {
	type change = func(*session.Session, *session.Pass)
	both := func(changes ...change) change {
		return func(s *session.Session, p *session.Pass) {
			for _, each := range changes {
				each(s, p)
			}
		}
	}
	for _, c := range []struct {
		name, want string
		change     change
	}{
		{"nothing", "", func(*session.Session, *session.Pass) {}},
		{"0.79 of the depth", "depth-not-reached", func(_ *session.Session, p *session.Pass) { p.MeanDepth = 12.7 }},
		{"0.8 of the depth", "", func(_ *session.Session, p *session.Pass) { p.MeanDepth = 12.8 }},
		{"at a rate", "", func(_ *session.Session, p *session.Pass) { p.MeanDepth, p.Rate = 2, 1000 }},
		{"depth 1", "", func(_ *session.Session, p *session.Pass) { p.MeanDepth, p.Depth = 0.5, 1 }},
		{"of an older program", "", func(_ *session.Session, p *session.Pass) { p.MeanDepth = 0 }},
		{"cut short", "", func(_ *session.Session, p *session.Pass) { p.MeanDepth, p.CutShort = 2, true }},
		{"a fifth at the device", "depth-not-reached", deviceDepth(3.2)},
		{"a quarter at the device", "", deviceDepth(4)},
		{"a busy processor", "",
			both(deviceDepth(1), func(_ *session.Session, p *session.Pass) { p.CPUSeconds = 5.1 })},
		{"a cached file at the device", "",
			both(deviceDepth(1), func(_ *session.Session, p *session.Pass) { p.Direct = false })},
		{"writes at the device", "", both(deviceDepth(1), func(_ *session.Session, p *session.Pass) { toWrite(p) })},

		{"a flush of 1 s", "slow-flush", func(_ *session.Session, p *session.Pass) { toWrite(p); p.FlushSeconds = 1 }},
		{"a flush of 0.9 s", "", func(_ *session.Session, p *session.Pass) { toWrite(p); p.FlushSeconds = 0.9 }},
		{"a flush of a twenty-first", "", func(_ *session.Session, p *session.Pass) {
			toWrite(p)
			p.FlushSeconds, p.ElapsedSeconds = 1, 21
		}},

		{"0.89 from the device", "cached-result", deviceRead(355 * unit.MB)},
		{"0.91 from the device", "", deviceRead(365 * unit.MB)},
		{"little was read", "", both(deviceRead(0),
			func(_ *session.Session, p *session.Pass) { p.Bytes = 15 * unit.MiB })},
		{"what was written", "", both(deviceRead(0), func(_ *session.Session, p *session.Pass) { toWrite(p) })},
		{"quick reads through the cache", "cached-result", func(_ *session.Session, p *session.Pass) {
			p.Direct, p.Latency.P50 = false, 3.9e-6
		}},
		{"quick reads that the device gave", "",
			both(deviceRead(400*unit.MB), func(_ *session.Session, p *session.Pass) {
				p.Direct, p.Latency.P50 = false, 3.9e-6
			})},
		{"reads of 4.1 µs through the cache", "", func(_ *session.Session, p *session.Pass) {
			p.Direct, p.Latency.P50 = false, 4.1e-6
		}},

		{"6 % of others", "background-load", deviceMoved(426*unit.MB, "rw")},
		{"4 % of others", "", deviceMoved(416*unit.MB, "rw")},
		{"a journal of data", "", deviceMoved(830*unit.MB, "rw,data=journal")},
		{"more than a journal", "background-load", deviceMoved(900*unit.MB, "rw,data=journal")},

		{"an error of an older program", "io-errors", func(_ *session.Session, p *session.Pass) {
			p.Errors, p.FirstError = 3, "input/output error"
		}},
		{"errors of a recording", "", func(_ *session.Session, p *session.Pass) { p.Errors = 3 }},
		{"errors of a device that went away", "dropout", func(s *session.Session, p *session.Pass) {
			p.Errors, p.FirstError = 100, "no such device"
			s.Events = []session.Event{{TSeconds: 11.9, Kind: event.Dropout, Detail: "gone"}}
		}},
		{"errors long before it went away", "dropout io-errors", func(s *session.Session, p *session.Pass) {
			p.Errors, p.FirstError = 100, "no such device"
			s.Events = []session.Event{{TSeconds: 12.1, Kind: event.Dropout, Detail: "gone"}}
		}},
	} {
		if got := kinds(Detect(tenSecondsOf(c.change), unit.Decimal)); !sameKinds(got, c.want) {
			t.Errorf("%s: found %q, want %q", c.name, got, c.want)
		}
	}
}

func sameKinds(got, want string) bool {
	return got == want || want == "dropout io-errors" && got == "io-errors dropout"
}

// Failures of one kind are one finding, over all passes, from the least to the greatest
// offset.
func TestFailuresAreToldTogether(t *testing.T) {
	s := tenSecondsOf(func(s *session.Session, p *session.Pass) {
		p.Errors = 7
		p.Failures = []session.Failure{
			{Action: "read", Error: "input/output error", Count: 5, FirstOffset: 8192, FromOffset: 4096,
				ToOffset: 81920},
			{Action: "read", Error: "timed out", Count: 2, FirstOffset: 0, FromOffset: 0, ToOffset: 512},
		}
		second := *p
		second.Index = 1
		second.Failures = []session.Failure{
			{Action: "read", Error: "input/output error", Count: 1, FirstOffset: 1024, FromOffset: 1024,
				ToOffset: 1024},
		}
		s.Passes = append(s.Passes, second)
	})
	findings := Detect(s, unit.Decimal)
	if len(findings) != 2 {
		t.Fatalf("found %q", kinds(findings))
	}
	want := "2 of 100\u00a0007 reads failed: timed out, the first at byte 0, all between byte 0 and 512."
	if got := findings[0].Summary; got != want {
		t.Errorf("%q, want %q", got, want)
	}
	want = "6 of 200\u00a0014 reads failed: input/output error, the first at byte 8192, all between byte 1024 " +
		"and 81920."
	if got := findings[1].Summary; got != want || len(findings[1].Passes) != 2 {
		t.Errorf("%q of passes %v, want %q", got, findings[1].Passes, want)
	}
}
