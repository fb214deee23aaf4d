package sim

import (
	"fmt"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/document"
	"opengauge/core/unit"
)

// Enclosure is what a simulated enclosure is made of.
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
}

// Vanish is an enclosure that leaves the bus when the drive in it is too hot. The
// zero value does not.
type Vanish struct {
	At unit.Celsius
	// For is how long it is away; 0 is for good.
	For time.Duration
	// Rate is what it carries when it is back; 0 is as before.
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
	err := read(node, map[string]setter{
		"about":         into(&enclosure.About, asText),
		"link":          into(&enclosure.Link, link.Find),
		"latency":       into(&enclosure.Latency, time.ParseDuration),
		"per-operation": into(&enclosure.PerOperation, time.ParseDuration),
		"carries":       into(&enclosure.Carries, unit.ParseRate),
		"heat-capacity": into(&enclosure.HeatCapacity, asNumber),
		"resistance":    into(&enclosure.Resistance, asNumber),
		"cooling":       into(&enclosure.Cooling, ParseCooling),
	}, map[string]setter{
		"fan-resistance": into(&enclosure.FanResistance, asNumber),
		"fan-on-at":      into(&enclosure.FanOnAt, unit.ParseCelsius),
		"fan-off-at":     into(&enclosure.FanOffAt, unit.ParseCelsius),
		"fan-delay":      into(&enclosure.FanDelay, time.ParseDuration),
		"vanish": group(map[string]setter{
			"at": into(&enclosure.Vanish.At, unit.ParseCelsius), "for": into(&enclosure.Vanish.For, time.ParseDuration),
			"rate": into(&enclosure.Vanish.Rate, unit.ParseRate),
		}),
		"stall": group(map[string]setter{
			"every": into(&enclosure.StallEvery, time.ParseDuration), "for": into(&enclosure.StallFor, time.ParseDuration),
		}),
	})
	if err == nil && enclosure.Cooling != Passive && enclosure.FanResistance <= 0 {
		return enclosure, node.Errorf("an enclosure with a fan needs \"fan-resistance\"")
	}
	return enclosure, err
}

// stalled says until when the bridge does not move at a time, or gives the time
// itself.
func (e *Enclosure) stalled(now time.Duration) time.Duration {
	if e.StallEvery <= 0 || now < e.StallEvery {
		return now
	}
	if into := now % e.StallEvery; into < e.StallFor {
		return now - into + e.StallFor
	}
	return now
}
