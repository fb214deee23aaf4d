// Package sensor holds what is read beside a pass: temperatures, fans and power,
// of the machine, of external loggers and instruments, and of simulated parts.
//
// A [Poller] reads each source on a goroutine of its own; what they said last may be
// asked for by several at once.
package sensor

import (
	"opengauge/core/unit"
)

// Set is what is read beside a pass. What cannot be read is left out, never
// guessed. It is called on the goroutine that drives the queue, so it must not
// wait for hardware.
type Set interface {
	// Temperatures by name ("drive").
	Temperatures() map[string]unit.Celsius
	// Readings of other sensors, by names that end in their unit: "fan_rpm",
	// "power_watts".
	Readings() map[string]float64
}

// Starter is a set that has to be started, and tells of sensors that fail, from
// another goroutine, until it is stopped.
type Starter interface {
	Start(tell func(detail string)) (stop func())
}

// None is a set without sensors.
type None struct{}

// Temperatures of None are none.
func (None) Temperatures() map[string]unit.Celsius { return nil }

// Readings of None are none.
func (None) Readings() map[string]float64 { return nil }

// Reading is what a source said once.
type Reading struct {
	Temperatures map[string]unit.Celsius
	Values       map[string]float64
}
