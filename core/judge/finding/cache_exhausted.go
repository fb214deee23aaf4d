package finding

import (
	"fmt"

	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var cacheExhausted = Kind{
	Name:       explain.CacheExhausted,
	Says:       "writes fell at a byte count: the fast write area is full",
	Severity:   session.Caution,
	EndsStream: true,
	Marks:      HeatTrace,
	Settles:    "let it rest and repeat: the drop comes at the same byte count",
	Evidence:   CacheExhaustedEvidence{},
}

// CacheExhaustedEvidence describes the drop, and the part that a rest before it brought back.
type CacheExhaustedEvidence struct {
	Fast           unit.BytesPerSecond `json:"fast_bytes_per_second"`
	FastLow        unit.BytesPerSecond `json:"fast_low_bytes_per_second,omitempty"`
	FastHigh       unit.BytesPerSecond `json:"fast_high_bytes_per_second,omitempty"`
	Slow           unit.BytesPerSecond `json:"slow_bytes_per_second"`
	SlowLow        unit.BytesPerSecond `json:"slow_low_bytes_per_second,omitempty"`
	SlowHigh       unit.BytesPerSecond `json:"slow_high_bytes_per_second,omitempty"`
	SteadyState    unit.BytesPerSecond `json:"steady_state_bytes_per_second,omitempty"`
	FastArea       unit.Bytes          `json:"fast_area_bytes"`
	AreaLow        unit.Bytes          `json:"fast_area_low_bytes,omitempty"`
	AreaHigh       unit.Bytes          `json:"fast_area_high_bytes,omitempty"`
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
func (f *fall) cacheExhausted(a explain.Account) session.Finding {
	fast, fastRange := levelOf(a.Before)
	slow, slowRange := levelOf(a.After)
	last, _ := levelOf(a.Last)
	evidence := CacheExhaustedEvidence{
		Fast: fast, FastLow: fastRange.low, FastHigh: fastRange.high,
		Slow: slow, SlowLow: slowRange.low, SlowHigh: slowRange.high, SteadyState: last,
		FastArea: unit.Bytes(a.Moved), AreaLow: unit.Bytes(max(a.Moved-a.MovedError, 0)),
		AreaHigh: unit.Bytes(a.Moved + a.MovedError), FirstDrop: firstFall(a), worst: worstOf(f.pass),
		At: celsius(a, a.At), CooledTo: celsius(a, a.Cooled),
	}
	made := f.new(cacheExhausted, a, evidence)
	warm := ""
	if evidence.At != nil {
		warm = fmt.Sprintf(" It was at %s then.", *evidence.At)
	}
	stayed := ", and stayed there"
	if a.Returns > 0 {
		stayed = ", and again after what it had regained"
	}
	made.Summary = fmt.Sprintf("Writes fell from %s to %s after %s%s: the fast write area is full.%s",
		f.n.Rate(fast), f.n.Rate(slow), evidence.FastArea.Capacity(), stayed, warm)
	made.Advice = "Let it rest and repeat the pass: if the write area is the cause, the drop comes at the same " +
		"byte count, " +
		"or earlier on a fuller drive."
	return made
}
