// Package sensor holds what is read beside a pass: temperatures, fans and power,
// of the machine, of external loggers and instruments, and of simulated parts.
//
// A [Poller] reads each source on a goroutine of its own; what they said last may be
// asked for by several at once.
package sensor

import (
	"time"

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
	// Moments are what it said since the reading before, with its own times, the oldest
	// first; nil where that is this reading alone.
	Moments []Moment
}

// Moment is what an instrument said of its values at one time.
type Moment struct {
	At     time.Time
	Values map[string]float64
}

// Instrument is a source, or a set of them, that says what its figures are.
type Instrument interface{ Figures() []Figure }

// Tracker is a set that keeps what its instruments say with their own times.
type Tracker interface {
	// Take hands out what was said since it was last asked, the oldest first.
	Take() []Moment
}
