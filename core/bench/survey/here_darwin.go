package survey

import (
	"path/filepath"
	"sync"
	"time"

	"opengauge/core/bench/macos"
)

// LinksAreRead says whether this system's links are read at all.
const LinksAreRead = true

// registryFor is how long what was read of the registry stands for the present: reading
// all of it takes processor time that a measurement beside it should have.
const registryFor = 5 * time.Second

// registry is what was read of this machine's last.
var registry struct {
	sync.Mutex
	read *macos.Machine
	at   time.Time
}

// otherHere is this machine.
func otherHere() foreign { return macosMachine{recentRegistry} }

func recentRegistry() (*macos.Machine, error) {
	registry.Lock()
	defer registry.Unlock()
	if registry.read != nil && time.Since(registry.at) < registryFor {
		return registry.read, nil
	}
	now, err := macos.Here()
	if err == nil {
		registry.read, registry.at = now, time.Now()
	}
	return now, err
}

// Traffic is what the disk under a path counted until now.
func Traffic(path string) (macos.Traffic, bool) {
	now := &Machine{live: true, other: macosMachine{macos.Here}}
	d, _, ok := now.DeviceOf(path)
	return d.traffic, ok && d.traffic.TrafficIsKnown
}

// DeviceOf gives the disk that a path of this machine is, or is on, and how what holds it
// is mounted.
func (m *Machine) DeviceOf(name string) (Device, Mount, bool) {
	if !m.live {
		return Device{}, Mount{}, false
	}
	if whole, err := filepath.Abs(name); err == nil {
		name = whole
	}
	if resolved, err := filepath.EvalSymlinks(name); err == nil {
		name = resolved
	}
	// The table of mounts knows best: places may stand for others (firm links).
	if mount, err := macos.SourceOf(name); err == nil {
		if device, _, ok := m.Holding(mount.Source); ok {
			return device, Mount{At: mount.At, FileSystem: mount.FileSystem, Source: mount.Source}, true
		}
	}
	return m.Holding(name)
}
