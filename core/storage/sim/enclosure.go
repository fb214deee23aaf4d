package sim

import (
	"fmt"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/document"
	"opengauge/core/unit"
)

// Enclosure is the model of an enclosure.
type Enclosure struct {
	Name, About string
	Link        link.Standard
	Latency     time.Duration
	// PerOperation is the least time that the bridge is busy with an operation.
	PerOperation time.Duration
	Carries      unit.BytesPerSecond
	// StallEvery and StallFor are of a bridge that stops now and then.
	StallEvery, StallFor time.Duration

	// HeatCapacity is in joules a kelvin, resistances are in kelvins a watt.
	HeatCapacity  float64
	Resistance    float64
	FanResistance float64
	FanOnAt       unit.Celsius
	FanOffAt      unit.Celsius
	FanDelay      time.Duration
	Cooling       Cooling
	Vanish        Vanish
	// Refall is a link that falls to a lower rate, Others who else uses it, and Probe a
	// thermometer on its case.
	Refall Refall
	Others Moments
	Probe  Probe
}

// Vanish is an enclosure that leaves the bus when the drive in it is too hot. The
// zero value does not.
type Vanish struct {
	At unit.Celsius
	// For is how long it is away; 0 is for good.
	For time.Duration
	// Rate is the rate that it carries when it is back; 0 is as before.
	Rate unit.BytesPerSecond
}

// Cooling is how an enclosure's fan behaves.
type Cooling string

// The ways of cooling. A passive enclosure has no fan.
const (
	Passive   Cooling = "passive"
	Automatic Cooling = "automatic"
	AlwaysOn  Cooling = "on"
	FanOff    Cooling = "off"
)

// ParseCooling reads "passive", "automatic", "on" or "off".
func ParseCooling(text string) (Cooling, error) {
	switch cooling := Cooling(text); cooling {
	case Passive, Automatic, AlwaysOn, FanOff:
		return cooling, nil
	}
	return "", fmt.Errorf("unknown cooling %q; expected %s, %s, %s or %s", text, Passive, Automatic, AlwaysOn, FanOff)
}

func parseEnclosure(name string, node document.Node) (Enclosure, error) {
	enclosure := Enclosure{Name: name}
	keys := needed(
		document.Text("about", &enclosure.About),
		document.Into("link", &enclosure.Link, link.Find),
		document.Into("latency", &enclosure.Latency, time.ParseDuration),
		document.Into("per-operation", &enclosure.PerOperation, time.ParseDuration),
		document.Into("carries", &enclosure.Carries, unit.ParseRate),
		document.Into("heat-capacity", &enclosure.HeatCapacity, asNumber),
		document.Into("resistance", &enclosure.Resistance, asNumber),
		document.Into("cooling", &enclosure.Cooling, ParseCooling),
	)
	_, err := node.Read(append(keys,
		document.Into("fan-resistance", &enclosure.FanResistance, asNumber),
		document.Into("fan-on-at", &enclosure.FanOnAt, unit.ParseCelsius),
		document.Into("fan-off-at", &enclosure.FanOffAt, unit.ParseCelsius),
		document.Into("fan-delay", &enclosure.FanDelay, time.ParseDuration),
		document.Nested("vanish", needed(
			document.Into("at", &enclosure.Vanish.At, unit.ParseCelsius),
			document.Into("for", &enclosure.Vanish.For, time.ParseDuration),
			document.Into("rate", &enclosure.Vanish.Rate, unit.ParseRate),
		)...),
		document.Nested("refall", enclosure.Refall.keys()...),
		document.Nested("others", enclosure.Others.keys()...),
		document.Nested("probe", enclosure.Probe.keys()...),
		document.Nested("stall", needed(
			document.Into("every", &enclosure.StallEvery, time.ParseDuration),
			document.Into("for", &enclosure.StallFor, time.ParseDuration),
		)...),
	)...)
	enclosure.Others.Warm = enclosure.Others.For > 0
	if err == nil && enclosure.Cooling != Passive && enclosure.FanResistance <= 0 {
		return enclosure, node.Errorf("an enclosure with a fan needs \"fan-resistance\"")
	}
	return enclosure, err
}

// stallEnd says until when the bridge does not move at a time, or gives the time
// itself.
func (e *Enclosure) stallEnd(now time.Duration) time.Duration {
	if f := &e.Refall; f.fallen(now) && now < f.After+f.Away {
		return f.After + f.Away
	}
	if e.StallEvery <= 0 || now < e.StallEvery {
		return now
	}
	if into := now % e.StallEvery; into < e.StallFor {
		return now - into + e.StallFor
	}
	return now
}
