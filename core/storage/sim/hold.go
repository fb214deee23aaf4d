package sim

import (
	"opengauge/core/document"
	"opengauge/core/unit"
)

// Hold is a drive that slows itself by as much as it takes to hold a temperature: an
// integrating controller, whose share of the full rate changes by Gain for each kelvin
// and second that it is off. The zero value does not.
type Hold struct {
	At   unit.Celsius
	Gain float64 // a kelvin and second
	// Least is the least share that is left.
	Least float64
}

func (h *Hold) keys() []document.Key {
	return needed(
		document.Into("at", &h.At, unit.ParseCelsius),
		document.Into("gain", &h.Gain, asNumber),
		document.Into("least", &h.Least, asShare),
	)
}
