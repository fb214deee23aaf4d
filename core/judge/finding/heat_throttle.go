package finding

import (
	"fmt"
	"math"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var heatThrottle = Kind{
	Name:       "heat-throttle",
	Says:       "throughput fell because of temperature",
	Severity:   session.Caution,
	EndsStream: true,
	Marks:      HeatTrace,
	Settles:    "repeat with the fan on: the drop comes later or not at all",
	Evidence:   HeatThrottleEvidence{},
}

// HeatThrottleEvidence is of the first drop, and of all of them together.
type HeatThrottleEvidence struct {
	Fast           unit.BytesPerSecond `json:"fast_bytes_per_second"`
	Slow           unit.BytesPerSecond `json:"slow_bytes_per_second"`
	FirstDrop      float64             `json:"first_drop_seconds"`
	Moved          unit.Bytes          `json:"moved_before_drop_bytes"`
	Sensor         string              `json:"sensor,omitempty"`
	ThrottleAt     *unit.Celsius       `json:"throttle_at_celsius,omitempty"`
	ResumeAt       *unit.Celsius       `json:"resume_at_celsius,omitempty"`
	Start          *unit.Celsius       `json:"start_celsius,omitempty"`
	Highest        *unit.Celsius       `json:"highest_celsius,omitempty"`
	RecoveredAfter float64             `json:"recovered_after_seconds,omitempty"`
	Drops          int                 `json:"drops"`
	Recoveries     int                 `json:"drops_with_recovery"`
	TimeSlow       float64             `json:"time_slow_seconds"`
	TimeSlowShare  float64             `json:"time_slow_share"`
	Counted        int64               `json:"slowdowns_counted_by_the_drive,omitempty"`
	worst
}

// heatThrottle says that the drive slowed itself because of heat.
func (f *fall) heatThrottle(hot []slowdown, confidence float64) session.Finding {
	first, last := hot[0], hot[len(hot)-1]
	slow, cycles, spans := spansOf(hot)
	evidence := HeatThrottleEvidence{
		Fast: rate(math.Round(float64(first.before.rate))), Slow: rate(math.Round(float64(first.after.rate))),
		FirstDrop: first.at, Moved: first.bytes, Drops: len(hot), Recoveries: cycles, TimeSlow: slow,
		TimeSlowShare: slow / f.pass.Samples[len(f.pass.Samples)-1].TSeconds,
		Counted:       f.counters.grown, worst: worstOf(f.pass),
	}
	where, advice := "", "Cool it better (a fan, a case that carries heat away) and repeat the pass: "+
		"if heat is the cause, the drop comes later or not at all."
	if first.known {
		where = fmt.Sprintf(", when the %s was at %s", f.heat.sensor, first.temperature)
		highest := f.heat.highest()
		evidence.Sensor, evidence.ThrottleAt = f.heat.sensor, &first.temperature
		evidence.Start, evidence.Highest = &f.heat.values[0], &highest
	} else {
		advice = "No temperature was recorded; the regular coming and going is that of a threshold. " +
			"Record one (--probe), or repeat with a fan."
	}
	came := " It did not come back within the pass."
	if first.returns() {
		evidence.RecoveredAfter = first.returned.from - first.at
		came = " It came back by itself, again and again."
	}
	if first.cycle() {
		evidence.ResumeAt = &first.cooledTo
		came = fmt.Sprintf(" It came back at %s, after %.0f s.", first.cooledTo, evidence.RecoveredAfter)
	}
	made := heatThrottle.new(confidence, []int{f.pass.Index}, evidence)
	made.FromSeconds, made.ToSeconds, made.Spans = first.at, spans[len(spans)-1].ToSeconds, spans
	made.Summary = fmt.Sprintf("Throughput fell from %s to %s after %.0f s%s.%s Slow for %.0f %% of the pass.",
		f.n.Rate(first.before.rate), f.n.Rate(first.after.rate), first.at, where, came, evidence.TimeSlowShare*100)
	made.Advice = advice
	made.Rejected = rejections(map[string]string{cacheExhausted.Name: last.notCache(f.pass, f.counters)})
	return made
}

// spansOf are the stretches of slowdowns, how long they are together, and how many
// of them ended when the drive had cooled.
func spansOf(hot []slowdown) (slow float64, cycles int, spans []session.Span) {
	for _, d := range hot {
		end := d.after.to
		if d.returns() {
			end = d.returned.from
		}
		slow += end - d.at
		spans = append(spans, session.Span{FromSeconds: d.at, ToSeconds: end})
		if d.cycle() {
			cycles++
		}
	}
	return slow, cycles, spans
}
