// Package sensor holds what is read beside a pass: temperatures now, fans,
// power and link state later.
package sensor

import "opengauge/core/unit"

// Thermometers gives temperatures by name ("drive"). A temperature that cannot
// be read is left out, never guessed. It is called on the goroutine that drives
// the queue, so it must not wait for hardware.
type Thermometers interface {
	Temperatures() map[string]unit.Celsius
}

// None is a set without thermometers.
type None struct{}

// Temperatures of None are none.
func (None) Temperatures() map[string]unit.Celsius { return nil }
