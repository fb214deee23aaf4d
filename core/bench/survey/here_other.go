//go:build !linux && !windows && !darwin

package survey

// LinksAreRead says whether this system's links are read at all.
const LinksAreRead = false

// otherHere is nothing: what is mounted is all that is known here.
func otherHere() foreign { return nil }

// DeviceOf knows nothing on this system.
func (m *Machine) DeviceOf(string) (Device, Mount, bool) { return Device{}, Mount{}, false }
