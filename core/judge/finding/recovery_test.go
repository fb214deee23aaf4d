package finding

import (
	"strings"
	"testing"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Two sustained writes with a rest between them; the first fills a fast area of
// 120 GB, the second what the rest brought back.
func TestRecoveryOfTheWriteArea(t *testing.T) {
	for _, c := range []struct {
		name           string
		rest           float64
		second         int // seconds at the fast rate, of 1 GB/s
		key            string
		value, within  float64
		summary, never string
	}{
		{"half of it came back", 300, 60, "recovers_after_seconds", 600, 30, "all of it takes about",
			"recovers_within_seconds"},
		{"all of it came back", 600, 120, "recovers_within_seconds", 600, 1, "all of it back",
			"recovers_after_seconds"},
		{"no rest", 1, 60, "", 0, 0, "", "recovers_after_seconds"},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := recording(load.Write, 30, stretch{120, 1000, 45}, stretch{180, 400, 38})
			next := recording(load.Write, 30, stretch{c.second, 1000, 45}, stretch{180, 400, 38}).Passes[0]
			next.Index = s.Passes[0].Index + 1
			next.StartedSeconds = s.Passes[0].StartedSeconds + s.Passes[0].ElapsedSeconds + c.rest
			s.Passes = append(s.Passes, next)
			var filled []session.Finding
			for _, f := range Detect(s, unit.Decimal) {
				if f.Kind == "cache-exhausted" {
					filled = append(filled, f)
				}
			}
			if len(filled) != 2 {
				t.Fatalf("found %q, want two full write areas", kinds(Detect(s, unit.Decimal)))
			}
			if filled[1].Evidence.Fact(c.never) != nil {
				t.Errorf("%s is given: %v", c.never, string(filled[1].Evidence))
			}
			if c.key == "" {
				return
			}
			if got, _ := filled[1].Evidence.Fact(c.key).(float64); got < c.value-c.within || got > c.value+c.within {
				t.Errorf("%s is %v, want %v", c.key, filled[1].Evidence.Fact(c.key), c.value)
			}
			if !strings.Contains(filled[1].Summary, c.summary) {
				t.Errorf("summary is %q", filled[1].Summary)
			}
		})
	}
}
