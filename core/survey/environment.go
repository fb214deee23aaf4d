// Package survey finds out what this machine has. So far: what kind of machine
// it is; devices and their links come next.
package survey

import (
	"runtime"

	"github.com/shirou/gopsutil/v4/cpu"
	"github.com/shirou/gopsutil/v4/host"
	"github.com/shirou/gopsutil/v4/mem"

	"opengauge/core/session"
	"opengauge/core/unit"
)

// Environment describes this machine. What cannot be read is left empty.
func Environment(programVersion string) session.Environment {
	environment := session.Environment{
		System: runtime.GOOS, Architecture: runtime.GOARCH,
		Processors: runtime.NumCPU(), ProgramVersion: programVersion,
		MemoryTraffic: memoryTraffic(),
	}
	if info, err := host.Info(); err == nil {
		environment.SystemVersion = info.Platform + " " + info.PlatformVersion
		environment.Kernel = info.KernelVersion
		environment.Host = info.Hostname
	}
	if processors, err := cpu.Info(); err == nil && len(processors) > 0 {
		environment.Processor = processors[0].ModelName
	}
	if memory, err := mem.VirtualMemory(); err == nil {
		environment.MemoryBytes = unit.Bytes(memory.Total)
	}
	return environment
}
