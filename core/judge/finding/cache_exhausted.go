package finding

import (
	"fmt"
	"math"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var cacheExhausted = Kind{
	Name:       "cache-exhausted",
	Says:       "writes fell at a byte count: the fast write area is full",
	Severity:   session.Caution,
	EndsStream: true,
	Marks:      HeatTrace,
	Settles:    "let it rest and repeat: the drop comes at the same byte count",
	Evidence:   CacheExhaustedEvidence{},
}

// CacheExhaustedEvidence is of the drop, and of what a rest before it brought back.
type CacheExhaustedEvidence struct {
	Fast           unit.BytesPerSecond `json:"fast_bytes_per_second"`
	Slow           unit.BytesPerSecond `json:"slow_bytes_per_second"`
	FastArea       unit.Bytes          `json:"fast_area_bytes"`
	FirstDrop      float64             `json:"first_drop_seconds"`
	At             *unit.Celsius       `json:"at_celsius,omitempty"`
	CooledTo       *unit.Celsius       `json:"cooled_to_celsius,omitempty"`
	RestBefore     float64             `json:"rest_before_seconds,omitempty"`
	Returned       float64             `json:"returned_share,omitempty"`
	RecoversWithin float64             `json:"recovers_within_seconds,omitempty"`
	RecoversAfter  float64             `json:"recovers_after_seconds,omitempty"`
	worst
}

// cacheExhausted says that the fast write area was full.
func (f *fall) cacheExhausted(d slowdown) session.Finding {
	evidence := CacheExhaustedEvidence{
		Fast: rate(math.Round(float64(d.before.rate))), Slow: rate(math.Round(float64(d.after.rate))),
		FastArea: d.bytes, FirstDrop: d.at, worst: worstOf(f.pass),
	}
	confidence, warm := 0.75, ""
	if d.known {
		evidence.At, evidence.CooledTo = &d.temperature, &d.cooledTo
		confidence, warm = 0.9, fmt.Sprintf(" It was not heat: %s.", d.notHeat(f.counters))
	}
	made := cacheExhausted.new(confidence, []int{f.pass.Index}, evidence)
	made.FromSeconds, made.ToSeconds = d.at, d.after.to
	made.Summary = fmt.Sprintf("Writes fell from %s to %s after %s, and stayed there: the fast write area is full.%s",
		f.n.Rate(d.before.rate), f.n.Rate(d.after.rate), d.bytes.Capacity(), warm)
	made.Advice = "Let it rest and repeat the pass: if the write area is the cause, the drop comes at the same " +
		"byte count, " +
		"or earlier on a fuller drive."
	made.Rejected = rejections(map[string]string{heatThrottle.Name: d.notHeat(f.counters)})
	return made
}
