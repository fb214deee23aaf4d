package survey

import (
	"runtime"

	"github.com/shirou/gopsutil/v4/cpu"
	system "github.com/shirou/gopsutil/v4/host"
	"github.com/shirou/gopsutil/v4/mem"

	"opengauge/core/bench/host"
	"opengauge/core/clock"
	"opengauge/core/unit"
)

// Describe adds to an environment what a figure depends on besides: how the
// device under the target is set up.
func (m *Machine) Describe(d Device, mount Mount, into *host.Environment) {
	into.Device, into.DeviceModel, into.MountOptions, into.Power = d.Name, d.Model, mount.Options, d.Power
	into.Scheduler = chosen(m.Text(d.folder, "queue/scheduler"))
	m.describeHost(into)
}

// describeHost adds what the computer is busy with and saves power by.
func (m *Machine) describeHost(into *host.Environment) {
	into.Governor = m.Text("sys/devices/system/cpu/cpu0/cpufreq/scaling_governor")
	if load, ok := m.Number("proc/loadavg"); ok {
		into.LoadAverage = load
	}
	if memory, err := mem.VirtualMemory(); m.live && err == nil {
		into.MemoryAvailable = unit.Bytes(memory.Available)
	}
}

// Environment describes this machine. What cannot be read is left empty.
func Environment(programVersion string) host.Environment {
	environment := host.Environment{
		System: runtime.GOOS, Architecture: runtime.GOARCH,
		Processors: runtime.NumCPU(), ProgramVersion: programVersion,
		MemoryTraffic: memoryTraffic(), ClockStepSeconds: clock.Step().Seconds(),
	}
	if info, err := system.Info(); err == nil {
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
