package finding

import (
	"slices"
	"strings"
	"testing"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Four repeats of twenty seconds without a rest: the drive slows itself in the third, where a
// fan starts, and is back in the fourth. No pass says so by itself.
func TestPassesThatRanOnAreExplainedAsOne(t *testing.T) {
	made := recording(load.Write, 30, stretch{45, 2800, 70}, stretch{20, 450, 62}, stretch{15, 2800, 66})
	whole := made.Passes[0]
	for i := range whole.Samples {
		fan := 0.0
		if whole.Samples[i].TSeconds >= 60 {
			fan = 1
		}
		whole.Samples[i].Readings = map[string]float64{"fan_running": fan}
	}
	s := *made
	s.Passes = nil
	for i := range 4 {
		p := whole
		p.Index, p.Repeat, p.StartedSeconds, p.ElapsedSeconds, p.Bytes = i, i, float64(20*i), 20, 0
		p.Samples = slices.Clone(whole.Samples[20*i : 20*i+20])
		for j := range p.Samples {
			p.Samples[j].TSeconds -= p.StartedSeconds
			p.Bytes += p.Samples[j].Bytes
		}
		p.BytesPerSecond = unit.BytesPerSecond(float64(p.Bytes) / 20)
		s.Passes = append(s.Passes, p)
	}
	found := Detect(&s, unit.Decimal)
	at := slices.IndexFunc(found, func(f session.Finding) bool { return f.Kind == heatThrottle.Name })
	if at < 0 {
		t.Fatalf("found %q", kinds(found))
	}
	f := found[at]
	if !slices.Equal(f.Passes, []int{0, 1, 2, 3}) || f.FromSeconds < 43 || f.FromSeconds > 47 {
		t.Errorf("passes %v from %.0f s", f.Passes, f.FromSeconds)
	}
	for _, want := range []string{"Over 4 passes", "fell from 2", "once the fan had started after 60 s"} {
		if !strings.Contains(f.Summary, want) {
			t.Errorf("%q, want %q in it", f.Summary, want)
		}
	}
	if slices.ContainsFunc(found, func(f session.Finding) bool { return f.Kind == unsteady.Name }) {
		t.Errorf("found %q", kinds(found))
	}
	// With rests between they are recordings of their own.
	for i := range s.Passes {
		s.Passes[i].StartedSeconds *= 10
	}
	for _, f := range Detect(&s, unit.Decimal) {
		if len(f.Passes) == 4 && f.Kind == heatThrottle.Name {
			t.Errorf("with rests: %s", f.Summary)
		}
	}
}
