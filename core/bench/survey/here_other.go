//go:build !linux

package survey

import (
	"fmt"
)

// numberText writes a device number.
func numberText(major, minor int) string { return fmt.Sprintf("%d:%d", major, minor) }

// DeviceOf knows nothing on this system: links are not read here yet.
func (m *Machine) DeviceOf(string) (Device, Mount, bool) { return Device{}, Mount{}, false }

// health is not asked for on this system yet.
func (m *Machine) health(*Device) *Health { return nil }
