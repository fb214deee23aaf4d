package session

import (
	"strings"

	"opengauge/core/bench/sensor"
	"opengauge/core/unit"
)

// Rest is a stretch in which the storage was let be, with the readings meanwhile.
type Rest struct {
	StartedSeconds float64 `json:"started_seconds"`
	ElapsedSeconds float64 `json:"elapsed_seconds"`
	// After is the index of the pass before it, or -1 for none.
	After   int          `json:"after_pass"`
	Samples []RestSample `json:"samples"`
	// Tracks are the instruments' readings of power, at their own times since it began.
	Tracks []Track `json:"tracks,omitempty"`
}

// RestSample is the readings at one moment of a rest. TSeconds is since it began.
type RestSample struct {
	TSeconds            float64                 `json:"t_seconds"`
	TemperaturesCelsius map[string]unit.Celsius `json:"temperatures_celsius"`
	Readings            map[string]float64      `json:"readings,omitempty"`
}

// Track is the readings of one figure of an instrument, at its own times. Both lists are as long as each
// other; times only grow.
type Track struct {
	// Key is the figure's key among readings.
	Key      string    `json:"key"`
	TSeconds []float64 `json:"t_seconds"`
	Values   []float64 `json:"values"`
}

// StoragePower says whether a reading is the power of the storage alone: by its name, which
// the quantity of a probe gives it. Older records have the processor's among them.
func StoragePower(key string) bool {
	return key == "power_watts" || strings.HasSuffix(key, sensor.PowerEnding) && key != "processor_power_watts"
}

// MachinePower says whether a reading is the power of a whole machine.
func MachinePower(key string) bool { return strings.HasSuffix(key, sensor.MachinePowerEnding) }
