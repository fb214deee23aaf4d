package finding

import (
	"math/rand/v2"
	"strings"
	"testing"

	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
	"opengauge/core/judge/explain"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// stretch is a part of a made-up pass: a rate in MB/s held for some seconds,
// while the temperature goes evenly to an end value.
type stretch struct {
	seconds int
	rate    float64
	celsius float64
}

// recording makes a pass of stretches, with 3 % of noise, starting at a
// temperature. A start of 0 records no temperatures.
func recording(operation load.Operation, start float64, stretches ...stretch) *session.Session {
	random := rand.New(rand.NewPCG(11, 4))
	pass := session.Pass{Load: load.Load{Operation: operation, Access: load.Sequential, Block: unit.MiB, Depth: 8,
		Workers: 1}, Direct: true}
	celsius := start
	for _, s := range stretches {
		step := (s.celsius - celsius) / float64(s.seconds)
		for range s.seconds {
			celsius += step
			bytes := unit.Bytes(s.rate * 1e6 * (1 + 0.03*random.NormFloat64()))
			sample := session.Sample{
				TSeconds: pass.ElapsedSeconds + 1, ElapsedSeconds: 1, Bytes: bytes,
				BytesPerSecond:      unit.BytesPerSecond(bytes),
				TemperaturesCelsius: map[string]unit.Celsius{},
			}
			if start > 0 {
				sample.TemperaturesCelsius["drive"] = unit.Celsius(int(celsius + 0.5))
			}
			pass.Samples = append(pass.Samples, sample)
			pass.ElapsedSeconds++
			pass.Bytes += bytes
			pass.Operations += 1000
		}
	}
	pass.BytesPerSecond = unit.BytesPerSecond(float64(pass.Bytes) / pass.ElapsedSeconds)
	return &session.Session{State: session.Complete, Passes: []session.Pass{pass}}
}

func kinds(findings []session.Finding) string {
	var names []string
	for _, finding := range findings {
		names = append(names, finding.Kind)
	}
	return strings.Join(names, " ")
}

func TestDropsAreToldApart(t *testing.T) {
	sawTooth := []stretch{{120, 1000, 70}, {60, 400, 62}, {40, 1000, 70}, {60, 400, 62}, {40, 1000, 70}}
	drive := func(s *session.Session) *session.Session {
		s.Conditions = map[string]string{explain.StorageCondition: explain.StorageDrive}
		return s
	}
	volume := func(s *session.Session) *session.Session {
		s.Conditions = map[string]string{explain.StorageCondition: explain.StorageVolume}
		return s
	}
	cases := []struct {
		name      string
		session   *session.Session
		want      string
		confident float64
	}{
		{"healthy and cool", recording(load.Write, 30, stretch{300, 1000, 45}), "", 0},
		{"healthy and hot", recording(load.Write, 30, stretch{300, 1000, 85}), "", 0},
		{"saw-tooth at one temperature", recording(load.Write, 30, sawTooth...), "heat-throttle", 0.95},
		{"one dip that ends when cooler", recording(load.Write, 30, stretch{120, 1000, 70}, stretch{60, 400, 62},
			stretch{120, 1000, 66}), "heat-throttle", 0.8},
		{"reads that fall and stay", recording(load.Read, 30, stretch{120, 1000, 70}, stretch{180, 400, 68}),
			"heat-throttle", 0.6},
		{"writes that fall and stay", recording(load.Write, 30, stretch{120, 1000, 70}, stretch{180, 400, 60}),
			"unsteady", 0},
		{"a drop while cool", recording(load.Write, 30, stretch{60, 1000, 36}, stretch{60, 400, 34},
			stretch{60, 400, 40}), "cache-exhausted", 0.8},
		{"a drop long before the heat", drive(recording(load.Write, 30, stretch{60, 1000, 45},
			stretch{240, 400, 80})), "cache-exhausted", 0.8},
		{"a drive's drop without temperatures", drive(recording(load.Write, 0, stretch{60, 1000, 0},
			stretch{240, 400, 0})), "cache-exhausted", 0.8},
		{"a drop without temperatures, of what nobody knows", recording(load.Write, 0, stretch{60, 1000, 0},
			stretch{240, 400, 0}), "unsteady", 0},
		{"writes that fall and stay, at a temperature that stood still",
			drive(recording(load.Write, 30, stretch{300, 1000, 66}, stretch{120, 1000, 66}, stretch{200, 400, 58})),
			"cache-exhausted", 0.8},
		{"writes that fall and stay, and cool a lot", recording(load.Write, 30, stretch{120, 1000, 70},
			stretch{300, 400, 45}), "unsteady", 0},
		{"a dip that ends without cooling", recording(load.Write, 60, stretch{120, 1000, 64}, stretch{30, 500, 64},
			stretch{120, 1000, 64}), "unsteady", 0},
		{"reads in a saw-tooth without temperatures", recording(load.Read, 0, stretch{120, 1000, 0},
			stretch{60, 400, 0}, stretch{40, 1000, 0}, stretch{61, 400, 0}, stretch{40, 1000, 0}, stretch{59, 400, 0},
			stretch{40, 1000, 0}), "heat-throttle", 0.6},
		{"a volume's reads on two levels", volume(recording(load.Read, 0, stretch{300, 250, 0},
			stretch{300, 125, 0})), "credit-exhausted", 0.8},
		{"reads on two levels, of what nobody knows", recording(load.Read, 0, stretch{300, 250, 0},
			stretch{300, 125, 0}), "unsteady", 0},
		{"nothing for a while", recording(load.Read, 30, stretch{60, 1000, 60}, stretch{20, 0, 55},
			stretch{60, 1000, 60}), "dropout", 0.8},
		{"nothing any more", recording(load.Write, 30, stretch{60, 1000, 60}, stretch{30, 0, 50}), "dropout", 0.8},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			found := Detect(c.session, unit.Decimal)
			if got := kinds(found); got != c.want {
				t.Fatalf("found %q, want %q", got, c.want)
			}
			for _, finding := range found {
				if finding.Confidence < c.confident || finding.Summary == "" || finding.Advice == "" ||
					len(finding.Evidence.Facts()) < 3 {
					t.Errorf("finding %+v", finding)
				}
			}
		})
	}
}

func TestHeatThrottleEvidence(t *testing.T) {
	s := recording(load.Write, 30, stretch{120, 1000, 70}, stretch{60, 400, 62}, stretch{40, 1000, 70},
		stretch{60, 400, 62})
	found := Detect(s, unit.Decimal)
	if kinds(found) != "heat-throttle" {
		t.Fatalf("found %q", kinds(found))
	}
	f := found[0]
	near := func(key string, want, within float64) {
		t.Helper()
		got, ok := f.Evidence.Fact(key).(float64)
		if !ok || got < want-within || got > want+within {
			t.Errorf("%s is %v, want %v", key, f.Evidence.Fact(key), want)
		}
	}
	near("fast_bytes_per_second", 1000e6, 20e6)
	near("slow_bytes_per_second", 400e6, 10e6)
	near("first_drop_seconds", 120, 2)
	near("moved_before_drop_bytes", 120e9, 3e9)
	near("throttle_at_celsius", 70, 1)
	near("resume_at_celsius", 62, 1)
	near("recovered_after_seconds", 60, 2)
	near("time_slow_share", 120.0/280, 0.02)
	if len(f.Spans) != 2 || f.FromSeconds != f.Spans[0].FromSeconds || f.ToSeconds != f.Spans[1].ToSeconds {
		t.Errorf("spans are %+v", f.Spans)
	}
	if !strings.Contains(f.Summary, "70 °C") || !strings.Contains(f.Summary, "MB/s") {
		t.Errorf("summary is %q", f.Summary)
	}
}

func TestPassesOfAFewSecondsNameNoCause(t *testing.T) {
	for seconds := 2; seconds < 12; seconds++ {
		s := recording(load.Write, 30, stretch{seconds, 1000, 60})
		if found := Detect(s, unit.Decimal); len(found) != 0 {
			t.Errorf("%d seconds: found %q", seconds, kinds(found))
		}
	}
}

func TestWorst(t *testing.T) {
	if _, any := Worst(nil); any {
		t.Error("no findings have a worst one")
	}
	worst, _ := Worst([]session.Finding{{Severity: session.Note}, {Severity: session.Fault},
		{Severity: session.Caution}})
	if worst != session.Fault {
		t.Errorf("the worst is %s, want fault", worst)
	}
}

func TestVeryLongPassIsStillQuick(t *testing.T) {
	s := recording(load.Write, 30, stretch{40_000, 1000, 70}, stretch{20_000, 400, 62}, stretch{26_400, 1000, 66})
	if got := kinds(Detect(s, unit.Decimal)); got != "heat-throttle" {
		t.Errorf("a day of samples gives %q", got)
	}
}

func TestTrust(t *testing.T) {
	hop, _ := link.Find("usb 3.2 gen 2")
	bytes := func(n unit.Bytes) *unit.Bytes { return &n }
	cases := []struct {
		name   string
		want   string
		change func(*session.Session, *session.Pass)
	}{
		{"nothing odd", "", func(*session.Session, *session.Pass) {}},
		{"busy computer", "host-bound",
			func(_ *session.Session, p *session.Pass) { p.CPUSeconds = 0.97 * p.ElapsedSeconds }},
		{"half of two workers busy", "", func(_ *session.Session, p *session.Pass) {
			p.CPUSeconds,
				p.Workers = p.ElapsedSeconds, 2
		}},
		{"a pool on two of four processors", "", func(s *session.Session, p *session.Pass) {
			s.Environment.Processors, p.Queue, p.CPUSeconds = 4, "thread pool", 2*p.ElapsedSeconds
		}},
		{"a pool on all processors", "host-bound", func(s *session.Session, p *session.Pass) {
			s.Environment.Processors, p.Queue, p.CPUSeconds = 4, "thread pool", 3.9*p.ElapsedSeconds
		}},
		{"busy by a fixed rate", "", func(_ *session.Session, p *session.Pass) {
			p.CPUSeconds,
				p.Rate = p.ElapsedSeconds, 500
		}},
		{"above the chain", "cached-result", func(s *session.Session, p *session.Pass) {
			s.Chain, p.BytesPerSecond = link.NewChain(hop.Hop("limpet")), 1.5e9
		}},
		{"above the memory", "cached-result", func(s *session.Session, p *session.Pass) {
			s.Environment.MemoryTraffic, p.BytesPerSecond = 9e9, 11e9
		}},
		{"at the chain's ceiling", "link-bound", func(s *session.Session, p *session.Pass) {
			s.Chain, p.BytesPerSecond = link.NewChain(hop.Hop("limpet")), 1.079e9
		}},
		{"in memory", "cached-result", func(s *session.Session, _ *session.Pass) { s.Target.FileSystem = "tmpfs" }},
		{"faster than storage", "cached-result", func(_ *session.Session, p *session.Pass) {
			p.Direct,
				p.Latency.P50 = false, 2e-6
		}},
		{"without direct I/O but slow", "", func(_ *session.Session, p *session.Pass) {
			p.Direct,
				p.Latency.P50 = false, 90e-6
		}},
		{"somebody else", "background-load",
			func(_ *session.Session, p *session.Pass) { p.DeviceBytes = bytes(p.Bytes * 12 / 10) }},
		{"nobody else", "", func(_ *session.Session, p *session.Pass) { p.DeviceBytes = bytes(p.Bytes * 102 / 100) }},
		{"too short", "short-run", func(_ *session.Session, p *session.Pass) { p.ElapsedSeconds = 0.5 }},
		{"too few operations", "short-run", func(_ *session.Session, p *session.Pass) { p.Operations = 12 }},
		{"hardly known", "unsteady", func(_ *session.Session, p *session.Pass) {
			p.Throughput = &session.RateInterval{Low: p.BytesPerSecond * 8 / 10, High: p.BytesPerSecond * 12 / 10}
		}},
		{"well known", "", func(_ *session.Session, p *session.Pass) {
			p.Throughput = &session.RateInterval{Low: p.BytesPerSecond * 99 / 100, High: p.BytesPerSecond * 101 / 100}
		}},
		{"wrong data", "corrupt-data", func(s *session.Session, _ *session.Pass) {
			s.Verification = &session.Verification{Checked: 10, Faults: 1, Wrong: 1, FirstOffset: 4096}
		}},
		{"wraps", "capacity-mismatch", func(s *session.Session, _ *session.Pass) {
			s.Verification = &session.Verification{Checked: 10, Faults: 5, Misplaced: 5, WrapsAtBytes: unit.GiB}
		}},
		{"verified", "", func(s *session.Session,
			_ *session.Pass) {
			s.Verification = &session.Verification{Checked: 10}
		}},
		{"vanished", "dropout", func(s *session.Session, _ *session.Pass) {
			s.Events = []session.Event{{TSeconds: 20, Kind: event.Dropout, Detail: "no such device"},
				{TSeconds: 24, Kind: event.Return}}
		}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			s := recording(load.Read, 30, stretch{30, 1000, 32})
			c.change(s, &s.Passes[0])
			found := Detect(s, unit.Decimal)
			if got := kinds(found); got != c.want {
				t.Fatalf("found %q, want %q", got, c.want)
			}
			for _, f := range found {
				if f.Summary == "" || f.Advice == "" || len(f.Evidence.Facts()) == 0 || f.Passes == nil {
					t.Errorf("finding %+v", f)
				}
			}
		})
	}
}

func TestDropoutSaysHowWarmAndHowLong(t *testing.T) {
	s := recording(load.Read, 30, stretch{30, 1000, 60})
	s.Events = []session.Event{{TSeconds: 30, Kind: event.Dropout, Detail: "no such device"},
		{TSeconds: 34.5, Kind: event.Return}}
	f := Detect(s, unit.Decimal)[0]
	if !strings.Contains(f.Summary, "60 °C") || !strings.Contains(f.Summary, "came back after 4.5 s") ||
		f.Severity != session.Fault {
		t.Errorf("finding %+v", f)
	}
}

// A kind that this program does not know, of a newer one, is shown as it stands.
func TestKindsFromTheFuture(t *testing.T) {
	f := session.Finding{Kind: "lunar-tide", Severity: session.Caution}
	if kind := Of(f); kind.Name != "lunar-tide" || kind.Severity != session.Caution || kind.Marks != NoFigure ||
		kind.EndsStream || kind.Weighty {
		t.Errorf("it is taken for %+v", kind)
	}
	names := map[string]bool{}
	for _, kind := range Kinds {
		if names[kind.Name] {
			t.Errorf("two kinds are called %s", kind.Name)
		}
		names[kind.Name] = true
		if got := Of(session.Finding{Kind: kind.Name}); got.Name != kind.Name || got.Says != kind.Says {
			t.Errorf("%s is found as %+v", kind.Name, got)
		}
	}
}
