package survey

import (
	"encoding/binary"
	"math"

	"opengauge/core/unit"
)

// Health is what an NVMe drive tells of itself (NVM Express Base Specification
// 2.0, 5.16.1.3 and 5.17.2.1).
type Health struct {
	// TemperatureCelsius is the composite temperature, and Warning and Critical
	// its limits; 0 where the drive does not say.
	TemperatureCelsius unit.Celsius   `json:"temperature_celsius"`
	WarningCelsius     unit.Celsius   `json:"warning_celsius,omitempty"`
	CriticalCelsius    unit.Celsius   `json:"critical_celsius,omitempty"`
	SensorsCelsius     []unit.Celsius `json:"sensors_celsius,omitempty"`
	// UsedShare is the share of the rated endurance that is used up; it may be
	// above 1.
	UsedShare float64 `json:"used_share"`
	// SpareShare is what is left of the spare blocks.
	SpareShare float64    `json:"spare_share"`
	Written    unit.Bytes `json:"written_bytes"`
	// AboveWarningSeconds and AboveCriticalSeconds are to the minute.
	AboveWarningSeconds  float64 `json:"above_warning_seconds"`
	AboveCriticalSeconds float64 `json:"above_critical_seconds"`
	MediaErrors          int64   `json:"media_errors"`
	ErrorLogEntries      int64   `json:"error_log_entries"`
	// Slowdowns count how often the controller slowed itself at its first and
	// at its second limit of temperature, and SlowSeconds for how long.
	Slowdowns   [2]int64   `json:"thermal_transitions"`
	SlowSeconds [2]float64 `json:"thermal_seconds"`
}

// Lengths of what a controller is asked for.
const (
	healthPageLength = 512
	identityLength   = 4096
)

// parseHealth reads the health page and the identity of a controller.
func parseHealth(page, identity []byte) (*Health, bool) {
	if len(page) < healthPageLength {
		return nil, false
	}
	half := func(at int) uint16 { return binary.LittleEndian.Uint16(page[at:]) }
	word := func(at int) uint32 { return binary.LittleEndian.Uint32(page[at:]) }
	const unitsOfWritten, bytesInAUnit = 48, 512 * 1000
	h := &Health{
		TemperatureCelsius: kelvin(half(1)), SpareShare: float64(page[3]) / 100, UsedShare: float64(page[5]) / 100,
		Written:     unit.Bytes(min(counter(page[unitsOfWritten:]), math.MaxInt64/bytesInAUnit) * bytesInAUnit),
		MediaErrors: counter(page[160:]), ErrorLogEntries: counter(page[176:]),
		AboveWarningSeconds: float64(word(192)) * 60, AboveCriticalSeconds: float64(word(196)) * 60,
		Slowdowns:   [2]int64{int64(word(216)), int64(word(220))},
		SlowSeconds: [2]float64{float64(word(224)), float64(word(228))},
	}
	const firstSensor, sensors = 200, 8
	for i := range sensors {
		if value := half(firstSensor + 2*i); value != 0 {
			h.SensorsCelsius = append(h.SensorsCelsius, kelvin(value))
		}
	}
	if len(identity) >= identityLength {
		h.WarningCelsius = kelvin(binary.LittleEndian.Uint16(identity[266:]))
		h.CriticalCelsius = kelvin(binary.LittleEndian.Uint16(identity[268:]))
	}
	return h, true
}

// kelvin turns whole kelvins into degrees Celsius; 0 stays 0, "not told".
func kelvin(value uint16) unit.Celsius {
	if value == 0 {
		return 0
	}
	return unit.Celsius(value) - 273
}

// counter reads a count of 16 bytes, as far as it can be held.
func counter(field []byte) int64 {
	low, high := binary.LittleEndian.Uint64(field), binary.LittleEndian.Uint64(field[8:])
	if high != 0 || low > math.MaxInt64 {
		return math.MaxInt64
	}
	return int64(low)
}
