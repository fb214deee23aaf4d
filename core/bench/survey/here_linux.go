package survey

import (
	"fmt"

	"golang.org/x/sys/unix"
)

// LinksAreRead says whether this system's links are read at all.
const LinksAreRead = true

// otherHere is nothing: this is Linux.
func otherHere() foreign { return nil }

// numberText writes a device number as sysfs does.
func numberText(major, minor int) string { return fmt.Sprintf("%d:%d", major, minor) }

// DeviceOf gives the block device that a path of this machine is, or is on, and
// how what holds it is mounted.
func (m *Machine) DeviceOf(name string) (Device, Mount, bool) {
	var status unix.Stat_t
	if !m.live || unix.Stat(name, &status) != nil {
		return Device{}, Mount{}, false
	}
	number, mount := status.Dev, Mount{}
	mounts := m.mounts()
	if status.Mode&unix.S_IFMT == unix.S_IFBLK {
		number = status.Rdev
	}
	text := numberText(int(unix.Major(number)), int(unix.Minor(number)))
	if found := mounts.of(text, ""); len(found) > 0 && number == status.Dev {
		mount = found[0]
	}
	device, ok := m.device(m.deviceOfNumber(text, mount.Source), mounts)
	return device, mount, ok
}
