// Package sensor reads temperatures, fans and power beside a pass: those of the machine, of
// external loggers and instruments, and of simulated parts.
//
// A [Poller] reads each source on a goroutine of its own. Its latest readings are safe for
// concurrent use.
package sensor

import (
	"time"

	"opengauge/core/unit"
)

// Set is a group of sources that are read beside a pass. Values that cannot be read are left out,
// never guessed. It is called on the goroutine that drives the queue, so it must not wait for
// hardware.
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

// Reading is the result of reading a source once.
type Reading struct {
	Temperatures map[string]unit.Celsius
	Values       map[string]float64
	// Moments are the values since the previous reading with the instrument's own times, oldest
	// first; nil where there is only this reading.
	Moments []Moment
}

// Moment holds an instrument's values at one time.
type Moment struct {
	At     time.Time
	Values map[string]float64
}

// Instrument is a source, or a set of sources, that describes its figures.
type Instrument interface{ Figures() []Figure }

// Tracker is a set that keeps its instruments' values with their own times.
type Tracker interface {
	// Drain returns the moments since it was last called, oldest first. It waits a short while for
	// instruments that have said nothing since a time.
	Drain(since time.Time) []Moment
}
