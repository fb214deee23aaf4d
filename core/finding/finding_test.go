package finding

import (
	"math/rand/v2"
	"strings"
	"testing"

	"opengauge/core/plan"
	"opengauge/core/session"
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
func recording(operation plan.Operation, start float64, stretches ...stretch) *session.Session {
	random := rand.New(rand.NewPCG(11, 4))
	pass := session.Pass{Operation: operation, Access: plan.Sequential, BlockBytes: unit.MiB, Depth: 8}
	celsius := start
	for _, s := range stretches {
		step := (s.celsius - celsius) / float64(s.seconds)
		for range s.seconds {
			celsius += step
			bytes := unit.Bytes(s.rate * 1e6 * (1 + 0.03*random.NormFloat64()))
			sample := session.Sample{
				TSeconds: pass.ElapsedSeconds + 1, ElapsedSeconds: 1, Bytes: bytes, BytesPerSecond: unit.BytesPerSecond(bytes),
				TemperaturesCelsius: map[string]unit.Celsius{},
			}
			if start > 0 {
				sample.TemperaturesCelsius["drive"] = unit.Celsius(int(celsius + 0.5))
			}
			pass.Samples = append(pass.Samples, sample)
			pass.ElapsedSeconds++
			pass.Bytes += bytes
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
	cases := []struct {
		name      string
		session   *session.Session
		want      string
		confident float64
	}{
		{"healthy and cool", recording(plan.Write, 30, stretch{300, 1000, 45}), "", 0},
		{"healthy and hot", recording(plan.Write, 30, stretch{300, 1000, 85}), "", 0},
		{"saw-tooth at one temperature", recording(plan.Write, 30, sawTooth...), "heat-throttle", 0.95},
		{"one dip that ends when cooler", recording(plan.Write, 30, stretch{120, 1000, 70}, stretch{60, 400, 62}, stretch{120, 1000, 66}), "heat-throttle", 0.8},
		{"reads that fall and stay", recording(plan.Read, 30, stretch{120, 1000, 70}, stretch{180, 400, 68}), "heat-throttle", 0.6},
		{"writes that fall and stay", recording(plan.Write, 30, stretch{120, 1000, 70}, stretch{180, 400, 60}), "unsteady", 0},
		{"a drop while cool", recording(plan.Write, 30, stretch{60, 1000, 36}, stretch{60, 400, 34}, stretch{60, 400, 40}), "unsteady", 0},
		{"a drop long before the heat", recording(plan.Write, 30, stretch{60, 1000, 45}, stretch{240, 400, 80}), "unsteady", 0},
		{"a drop without temperatures", recording(plan.Write, 0, stretch{60, 1000, 0}, stretch{240, 400, 0}), "unsteady", 0},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			found := Detect(c.session)
			if got := kinds(found); got != c.want {
				t.Fatalf("found %q, want %q", got, c.want)
			}
			for _, finding := range found {
				if finding.Confidence < c.confident || finding.Summary == "" || finding.Advice == "" || len(finding.Evidence) < 4 {
					t.Errorf("finding %+v", finding)
				}
			}
		})
	}
}

func TestHeatThrottleEvidence(t *testing.T) {
	s := recording(plan.Write, 30, stretch{120, 1000, 70}, stretch{60, 400, 62}, stretch{40, 1000, 70}, stretch{60, 400, 62})
	found := Detect(s)
	if kinds(found) != "heat-throttle" {
		t.Fatalf("found %q", kinds(found))
	}
	f := found[0]
	near := func(key string, want, within float64) {
		t.Helper()
		got, ok := f.Evidence[key].(float64)
		switch value := f.Evidence[key].(type) {
		case unit.Celsius:
			got, ok = float64(value), true
		case unit.Bytes:
			got, ok = float64(value), true
		}
		if !ok || got < want-within || got > want+within {
			t.Errorf("%s is %v, want %v", key, f.Evidence[key], want)
		}
	}
	near("fast_bytes_per_second", 1000e6, 20e6)
	near("slow_bytes_per_second", 400e6, 10e6)
	near("first_drop_seconds", 120, 2)
	near("moved_before_drop_bytes", 120e9, 3e9)
	near("throttle_at_celsius", 70, 1)
	near("resume_at_celsius", 62, 1)
	near("time_slow_share", 120.0/280, 0.02)
	if len(f.Spans) != 2 || f.FromSeconds != f.Spans[0].FromSeconds || f.ToSeconds != f.Spans[1].ToSeconds {
		t.Errorf("spans are %+v", f.Spans)
	}
	if !strings.Contains(f.Summary, "70 °C") || !strings.Contains(f.Summary, "MB/s") {
		t.Errorf("summary is %q", f.Summary)
	}
}

func TestShortPassesFindNothing(t *testing.T) {
	for seconds := range 12 {
		s := recording(plan.Write, 30)
		if seconds > 0 {
			s = recording(plan.Write, 30, stretch{seconds, 1000, 60})
		}
		if found := Detect(s); len(found) != 0 {
			t.Errorf("%d seconds: found %q", seconds, kinds(found))
		}
	}
}

func TestWorst(t *testing.T) {
	if _, any := Worst(nil); any {
		t.Error("no findings have a worst one")
	}
	worst, _ := Worst([]session.Finding{{Severity: session.Note}, {Severity: session.Fault}, {Severity: session.Caution}})
	if worst != session.Fault {
		t.Errorf("the worst is %s, want fault", worst)
	}
}

func TestVeryLongPassIsStillQuick(t *testing.T) {
	s := recording(plan.Write, 30, stretch{40_000, 1000, 70}, stretch{20_000, 400, 62}, stretch{26_400, 1000, 66})
	if got := kinds(Detect(s)); got != "heat-throttle" {
		t.Errorf("a day of samples gives %q", got)
	}
}
