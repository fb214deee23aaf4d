package survey

import (
	"path/filepath"

	"opengauge/core/bench/windows"
)

// LinksAreRead says whether this system's links are read at all.
const LinksAreRead = true

// otherHere is this machine.
func otherHere() foreign { return windowsMachine{windows.Here()} }

// DeviceOf gives the disk that a path of this machine is, or is on, and how what holds it
// is mounted.
func (m *Machine) DeviceOf(name string) (Device, Mount, bool) {
	if !m.live {
		return Device{}, Mount{}, false
	}
	if whole, err := filepath.Abs(name); err == nil {
		name = whole
	}
	return m.Holding(name)
}
