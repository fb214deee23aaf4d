package survey

import (
	"io"
	"slices"
	"strings"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/bench/sensor"
	"opengauge/core/unit"
)

// foreign is a machine of another system than Linux, whose kernel tells of itself in files.
type foreign interface {
	// name is as runtime.GOOS has it.
	name() string
	// devices gives all devices, and what was not told for want of rights.
	devices() ([]Device, []string)
	// holding gives the device that a path is, or is on, and how what holds it is mounted.
	holding(devices []Device, path string) (Device, Mount, bool)
	// unplaced are places of which the system does not tell on which device they are.
	unplaced() []string
	// counted adds what the system counts of a device to counters that only ever grow.
	counted(d Device, into map[string]int64)
	// capture surveys the machine, as devices does, and packs what that read; mask hides a
	// serial number.
	capture(w io.Writer, mask func(string) string) ([]Device, []string, error)
}

// System is the machine's, as runtime.GOOS has it.
func (m *Machine) System() string {
	if m.other == nil {
		return "linux"
	}
	return m.other.name()
}

// foreignTemperatures are the thermometers of a device of another system.
func (m *Machine) foreignTemperatures(name string) sensor.Reading {
	reading := sensor.Reading{Temperatures: map[string]unit.Celsius{}}
	if d, ok := m.named(name); ok {
		reading.Temperatures = d.TemperaturesCelsius
	}
	return reading
}

// lookedFor is how long what a live machine of another system told of all its devices stands
// for the present: to ask drives for their health takes some of the time that is measured.
const lookedFor = 5 * time.Second

// recentDevices are those of a few seconds ago at most.
func (m *Machine) recentDevices() []Device {
	m.lock.Lock()
	devices, at := m.recent, m.recentAt
	m.lock.Unlock()
	if m.live && devices != nil && time.Since(at) < lookedFor {
		return devices
	}
	devices = m.Devices()
	m.lock.Lock()
	m.recent, m.recentAt = devices, time.Now()
	m.lock.Unlock()
	return devices
}

// named gives a device of another system by its name, as it is now or was a few seconds ago.
func (m *Machine) named(name string) (Device, bool) {
	for _, d := range m.recentDevices() {
		if d.Name == name {
			return d, true
		}
	}
	return Device{}, false
}

// keep notes what was not told, once each.
func (m *Machine) keep(untold []string) {
	m.lock.Lock()
	defer m.lock.Unlock()
	for _, each := range untold {
		if !slices.Contains(m.untold, each) {
			m.untold = append(m.untold, each)
		}
	}
}

// Untold is what the machine did not tell for want of rights, once each, with how to get
// them.
func (m *Machine) Untold() []string {
	m.lock.Lock()
	defer m.lock.Unlock()
	return append([]string{}, m.untold...)
}

// healthTemperatures are those of a drive's health page, or what else is told.
func healthTemperatures(h *Health, also unit.Celsius, known bool) map[string]unit.Celsius {
	found := map[string]unit.Celsius{}
	if h != nil && h.TemperatureCelsius != 0 && h.TemperatureCelsius.Believable() {
		found["drive"] = h.TemperatureCelsius
	} else if known && also.Believable() {
		found["drive"] = also
	}
	if h != nil {
		for i, each := range h.SensorsCelsius {
			if each.Believable() {
				found["sensor "+string(rune('1'+i))] = each
			}
		}
	}
	return found
}

// healthCounters are those that every NVMe drive has.
func healthCounters(h *Health, name string, into map[string]int64) {
	if h == nil {
		return
	}
	into["nvme_media_errors "+name] = h.MediaErrors
	into["nvme_error_log_entries "+name] = h.ErrorLogEntries
	into[link.LightSlowdowns+" "+name] = h.Slowdowns[0]
	into[link.HeavySlowdowns+" "+name] = h.Slowdowns[1]
	into[link.SlowSeconds+" "+name] = int64(h.SlowSeconds[0] + h.SlowSeconds[1])
}

// pcieOf gives the state of a link by its generation, from 1, and its lanes.
func pcieOf(generation, lanes int) link.State {
	speeds := []float64{2.5e9, 5e9, 8e9, 16e9, 32e9, 64e9} // PCI Express Base Specification 6.0, 7.5.3.18
	if generation < 1 || generation > len(speeds) {
		return link.State{}
	}
	return pcieStandard(speeds[generation-1], lanes)
}

// Holding gives the device that a path of the machine is, or is on, by what it tells of
// places; a capture of Linux tells too little for that.
func (m *Machine) Holding(path string) (Device, Mount, bool) {
	if m.other == nil {
		return m.DeviceOf(path)
	}
	return m.other.holding(m.recentDevices(), path)
}

// Unplaced are the places that something is mounted at of which the machine does not tell on
// which device it is.
func (m *Machine) Unplaced() []string {
	if m.other == nil {
		return nil
	}
	return m.other.unplaced()
}

// Is says whether a path is the device's own, and not that of a part of it.
func (d Device) Is(path string) bool {
	raw := strings.Replace(path, "/dev/disk", "/dev/rdisk", 1) // of macOS
	return strings.EqualFold(path, d.Path) || strings.EqualFold(raw, d.Path)
}

// AllMounts are those of a device and of its parts.
func (d Device) AllMounts() []Mount {
	mounts := append([]Mount{}, d.Mounts...)
	for _, p := range d.Partitions {
		mounts = append(mounts, p.Mounts...)
	}
	return mounts
}

// Known says how it is known that what is read of a system is right; docs/platforms.md has
// it for each thing.
func Known(system string) string {
	switch system {
	case "linux":
		return "What is read of Linux was tested on machines."
	case "windows":
		return "What is read of Windows was tested on captures and under Wine, not on a machine. Where it is wrong, a " +
			"capture (opengauge survey --capture FILE.tar.gz) helps to mend it."
	case "darwin":
		return "What is read of macOS was tested on captures, and what reads it live was built from documentation only. " +
			"Where it is wrong, a capture (opengauge survey --capture FILE.tar.gz) helps to mend it."
	}
	return "Only volumes are read on this system."
}
