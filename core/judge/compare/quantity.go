package compare

import (
	"fmt"
	"math"
	"slices"

	"opengauge/core/judge/cooling"
	"opengauge/core/judge/move"
	"opengauge/core/judge/outcome"
	"opengauge/core/unit"
)

// Quantity is a figure of whole sessions, other than how fast they were.
type Quantity struct {
	// Name says what it is, and ends in the unit.
	Name string `json:"name"`
	// Says is what it is called for people.
	Says string `json:"-"`
	// Values are by side; nil where a side does not have it.
	Values []*float64 `json:"values"`
	// Texts are the values for people.
	Texts []string `json:"-"`
}

// quantities are all figures besides speed. Of those that count what went wrong nothing
// is said where nothing did.
var quantities = []struct {
	name, says string
	counts     bool
	of         func(o *outcome.Outcome) (float64, bool)
	text       func(v float64) string
}{
	{"dropouts", "dropouts", true, func(o *outcome.Outcome) (float64, bool) { return float64(o.Dropouts), true }, whole},
	{"errors", "operations that failed", true, func(o *outcome.Outcome) (float64, bool) {
		return float64(o.Errors), true
	}, whole},
	{"cut_short", "passes cut short", true, func(o *outcome.Outcome) (float64, bool) {
		return float64(o.CutShort), true
	}, whole},
	{"warmest_celsius", "warmest", false, func(o *outcome.Outcome) (float64, bool) {
		return of(o.Warmest, func(w *outcome.Warmest) float64 { return float64(w.Value) })
	}, degrees},
	{"warmest_after_seconds", "that warm after", false, func(o *outcome.Outcome) (float64, bool) {
		return of(o.Warmest, func(w *outcome.Warmest) float64 { return w.After })
	}, move.Duration},
	{"slowed_by_heat_share", "of the time slowed by heat", true, func(o *outcome.Outcome) (float64, bool) {
		return o.SlowedShare(), o.Seconds > 0
	}, share},
	{"fan_start_seconds", "fan starts after", false, func(o *outcome.Outcome) (float64, bool) {
		return of(o.Fan, func(f *outcome.Fan) float64 { return f.After })
	}, move.Duration},
	{"fan_start_celsius", "fan starts at", false, func(o *outcome.Outcome) (float64, bool) {
		return of(o.Fan, func(f *outcome.Fan) float64 { return float64(f.At) })
	}, degrees},
	{"fan_cooled_kelvin", "cooler by the fan", false, func(o *outcome.Outcome) (float64, bool) {
		return of(o.Fan, func(f *outcome.Fan) float64 { return f.Cooled })
	}, kelvins},
	{"cool_down_time_constant_seconds", "cools down by 63 % in", false, func(o *outcome.Outcome) (float64, bool) {
		return of(o.Cooling, func(c *cooling.Curve) float64 { return c.Fit.TimeConstantSeconds })
	}, move.Duration},
	{"cool_down_floor_celsius", "cools down to", false, func(o *outcome.Outcome) (float64, bool) {
		return of(o.Cooling, func(c *cooling.Curve) float64 { return math.Round(c.Fit.FloorCelsius) })
	}, degrees},
	{"mean_power_watts", "power, mean", false, func(o *outcome.Outcome) (float64, bool) {
		return of(o.Power, func(p *outcome.Power) float64 { return p.MeanWatts })
	}, watts},
	{"peak_power_watts", "power, peak", false, func(o *outcome.Outcome) (float64, bool) {
		return of(o.Power, func(p *outcome.Power) float64 { return p.PeakWatts })
	}, watts},
	{"idle_power_watts", "power, idle", false, func(o *outcome.Outcome) (float64, bool) {
		if o.Power == nil || o.Power.IdleWatts == nil {
			return 0, false
		}
		return *o.Power.IdleWatts, true
	}, watts},
	{"joules_per_gigabyte", "energy a GB", false, func(o *outcome.Outcome) (float64, bool) {
		joules, there := of(o.Power, func(p *outcome.Power) float64 { return p.JoulesPerGB })
		return joules, there && joules > 0
	}, func(v float64) string { return fmt.Sprintf("%.2f J", v) }},
	{"bytes_per_second_per_watt", "rate a watt", false, func(o *outcome.Outcome) (float64, bool) {
		bytes, there := of(o.Power, func(p *outcome.Power) float64 { return p.BytesPerJoule })
		return bytes, there && bytes > 0
	}, func(v float64) string { return unit.Digits(v/1e6, 3) + " MB/s" }},
}

func of[T any](there *T, value func(*T) float64) (float64, bool) {
	if there == nil {
		return 0, false
	}
	return value(there), true
}

func share(v float64) string {
	if v == 0 {
		return "never"
	}
	return unit.Percent(v)
}

func whole(v float64) string   { return unit.Grouped(int64(v)) }
func degrees(v float64) string { return unit.Celsius(v).String() }
func kelvins(v float64) string { return fmt.Sprintf("%.0f K", v) }
func watts(v float64) string   { return fmt.Sprintf("%.2f W", v) }

// addQuantities compares what became of the sessions besides their rates.
func (c *Comparison) addQuantities() {
	c.Quantities = []Quantity{}
	for _, each := range quantities {
		made := Quantity{Name: each.name, Says: each.says}
		for i := range c.Outcomes {
			value, known := each.of(&c.Outcomes[i])
			if !known {
				made.Values, made.Texts = append(made.Values, nil), append(made.Texts, "")
				continue
			}
			made.Values, made.Texts = append(made.Values, &value), append(made.Texts, each.text(value))
		}
		says := func(v *float64) bool { return v != nil && (*v != 0 || !each.counts) }
		if slices.ContainsFunc(made.Values, says) {
			c.Quantities = append(c.Quantities, made)
		}
	}
}
