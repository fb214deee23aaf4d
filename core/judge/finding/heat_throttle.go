package finding

import (
	"fmt"
	"strings"

	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var heatThrottle = Kind{
	Name:       explain.HeatThrottle,
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
	FastLow        unit.BytesPerSecond `json:"fast_low_bytes_per_second,omitempty"`
	FastHigh       unit.BytesPerSecond `json:"fast_high_bytes_per_second,omitempty"`
	Slow           unit.BytesPerSecond `json:"slow_bytes_per_second"`
	SlowLow        unit.BytesPerSecond `json:"slow_low_bytes_per_second,omitempty"`
	SlowHigh       unit.BytesPerSecond `json:"slow_high_bytes_per_second,omitempty"`
	FirstDrop      float64             `json:"first_drop_seconds"`
	Moved          unit.Bytes          `json:"moved_before_drop_bytes"`
	Sensor         string              `json:"sensor,omitempty"`
	ThrottleAt     *unit.Celsius       `json:"throttle_at_celsius,omitempty"`
	ThrottleLow    *unit.Celsius       `json:"throttle_at_low_celsius,omitempty"`
	ThrottleHigh   *unit.Celsius       `json:"throttle_at_high_celsius,omitempty"`
	ResumeAt       *unit.Celsius       `json:"resume_at_celsius,omitempty"`
	Start          *unit.Celsius       `json:"start_celsius,omitempty"`
	Highest        *unit.Celsius       `json:"highest_celsius,omitempty"`
	RecoveredAfter float64             `json:"recovered_after_seconds,omitempty"`
	Drops          int                 `json:"drops"`
	Recoveries     int                 `json:"drops_with_recovery"`
	TimeSlow       float64             `json:"time_slow_seconds"`
	TimeSlowShare  float64             `json:"time_slow_share"`
	Counted        int64               `json:"slowdowns_counted_by_the_drive,omitempty"`
	// FanStarted is when a fan started within the first slow stretch, or 0.
	FanStarted float64 `json:"fan_started_seconds,omitempty"`
	worst
}

// heatThrottle says that the drive slowed itself because of heat.
func (f *fall) heatThrottle(a explain.Account) session.Finding {
	fast, fastRange := levelOf(a.Before)
	slow, slowRange := levelOf(a.After)
	first := firstFall(a)
	_, counted := explain.Slowdowns(f.pass)
	evidence := HeatThrottleEvidence{
		Fast: fast, FastLow: fastRange.low, FastHigh: fastRange.high,
		Slow: slow, SlowLow: slowRange.low, SlowHigh: slowRange.high,
		FirstDrop: first, Moved: unit.Bytes(a.Moved), Drops: len(a.Slow), Recoveries: a.Returns,
		TimeSlow: a.SlowSeconds, TimeSlowShare: a.SlowSeconds / a.Looked, Counted: counted, worst: worstOf(f.pass),
		Sensor: a.Sensor, ThrottleAt: celsius(a, a.At), Start: celsius(a, a.Start), Highest: celsius(a, a.Highest),
	}
	if on, known := a.Figure(explain.OnFigure); known && evidence.ThrottleAt != nil {
		evidence.ThrottleLow = celsius(a, on.Low)
		evidence.ThrottleHigh = celsius(a, on.High)
	}
	where := ""
	came := " It did not come back within the pass."
	advice := "Cool it better (a fan, a case that carries heat away) and repeat the pass: " +
		"if heat is the cause, the drop comes later or not at all."
	if a.Sensor != "" {
		where = fmt.Sprintf(", when the %s was at %s", a.Sensor, *evidence.ThrottleAt)
	} else {
		advice = "No temperature was recorded; the regular coming and going is that of a threshold. " +
			"Record one (--probe), or repeat with a fan."
	}
	if a.Returns > 0 {
		evidence.RecoveredAfter = a.Slow[0].ToSeconds - a.Slow[0].FromSeconds
		came = " It came back by itself, again and again."
		if a.Sensor != "" {
			evidence.ResumeAt = celsius(a, a.Cooled)
			came = fmt.Sprintf(" It came back at %s, after %.0f s.", *evidence.ResumeAt, evidence.RecoveredAfter)
		}
		if at, started := fanStarted(f.pass, a.Slow[0]); started {
			evidence.FanStarted = at
			came = strings.TrimSuffix(came, ".") + fmt.Sprintf(", once the fan had started after %.0f s.", at)
		}
	}
	made := f.new(heatThrottle, a, evidence)
	made.Summary = fmt.Sprintf("Throughput fell from %s to %s after %.0f s%s.%s Slow for %.0f %% of the pass.",
		f.n.Rate(fast), f.n.Rate(slow), first, where, came, evidence.TimeSlowShare*100)
	made.Advice = advice
	return made
}

// fanStarted is when a fan that had stood started in a stretch, or just before its end.
func fanStarted(pass *session.Pass, slow session.Span) (float64, bool) {
	stood := false
	for _, sample := range pass.Samples {
		for name, value := range sample.Readings {
			if !strings.Contains(name, "fan_") {
				continue
			}
			within := sample.TSeconds >= slow.FromSeconds && sample.TSeconds <= slow.ToSeconds+1
			if value > 0 && stood && within {
				return sample.TSeconds, true
			}
			stood = value == 0
		}
	}
	return 0, false
}
