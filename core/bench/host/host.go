// Package host describes the computer that measures, as far as figures depend on it.
// Its values are plain data, for any goroutine.
package host

import (
	"opengauge/core/unit"
)

// Environment says which machine measured.
type Environment struct {
	System        string     `json:"system"`
	SystemVersion string     `json:"system_version,omitempty"`
	Kernel        string     `json:"kernel,omitempty"`
	Architecture  string     `json:"architecture,omitempty"`
	Host          string     `json:"host,omitempty"`
	Processor     string     `json:"processor,omitempty"`
	Processors    int        `json:"processors,omitempty"`
	MemoryBytes   unit.Bytes `json:"memory_bytes,omitempty"`
	// MemoryTraffic is what all processors together move to and from memory.
	MemoryTraffic unit.BytesPerSecond `json:"memory_bytes_per_second,omitempty"`
	// What else a figure depends on, where the system says.
	MountOptions    string     `json:"mount_options,omitempty"`
	Scheduler       string     `json:"scheduler,omitempty"`
	Governor        string     `json:"processor_governor,omitempty"`
	LoadAverage     float64    `json:"load_average,omitempty"`
	MemoryAvailable unit.Bytes `json:"memory_available_bytes,omitempty"`
	// Power is what saves power at the cost of latency.
	Power map[string]string `json:"power,omitempty"`
	// ClockStepSeconds is the smallest time that the machine's clock tells apart.
	ClockStepSeconds float64 `json:"clock_step_seconds,omitempty"`
	// Device is the block device under the target.
	Device      string `json:"device,omitempty"`
	DeviceModel string `json:"device_model,omitempty"`
	// Server says of a folder that a server keeps which that is, and how it is reached.
	Server         string `json:"server,omitempty"`
	ProgramVersion string `json:"program_version"`
}
