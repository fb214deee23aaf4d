package survey

import (
	"cmp"
	"encoding/binary"
	"path"
	"strings"

	"opengauge/core/bench/link"
)

// usbHop gives the link between a USB device and the hub or root port above it.
func (m *Machine) usbHop(here, device string) (link.Hop, bool) {
	megabits, ok := m.Number(here, "speed")
	if !ok {
		return link.Trained("usb "+path.Base(here), link.State{Standard: "usb"}, link.State{}), true
	}
	transport := m.usbTransport(device)
	lanes, _ := m.Number(here, "rx_lanes")
	negotiated := usbState(megabits, int(lanes), transport)
	name := cmp.Or(strings.Join(strings.Fields(m.Text(here, "product")), " "), "usb "+path.Base(here))
	return link.Trained(name, negotiated, m.usbCapable(here, transport)), true
}

func usbState(megabits float64, lanes int, transport string) link.State {
	standard, ok := link.USB(megabits, max(lanes, 1), transport)
	if !ok {
		return link.State{Standard: "usb"}
	}
	return standard.State()
}

// usbTransport says how commands reach the drive, by the driver of the
// interface that it is under.
func (m *Machine) usbTransport(device string) string {
	for above := range upwards(device) {
		if m.Exists(above, "bInterfaceClass") {
			switch m.LinkName(above, "driver") {
			case "uas":
				return link.QueuedTransport
			case "usb-storage":
				return link.BulkOnlyTransport
			}
			return ""
		}
	}
	return ""
}

// usbCapable is the most that both ends can do: what the device tells of itself
// in its object store, and the controller by the speed of its fastest root hub.
// It is unknown where either does not say.
func (m *Machine) usbCapable(here, transport string) link.State {
	own := deviceMegabits([]byte(m.Raw(here, "bos_descriptors")))
	port := m.controllerMegabits(here)
	if own == 0 || port == 0 {
		return link.State{}
	}
	return usbState(min(own, port), 1, transport)
}

// controllerMegabits is the speed of the fastest root hub of the controller
// that a USB device is attached to.
func (m *Machine) controllerMegabits(here string) float64 {
	above := path.Dir(here)
	for !strings.HasPrefix(path.Base(above), "usb") {
		if len(above) <= len("sys/devices") {
			return 0
		}
		if m.Exists(above, "bDeviceClass") {
			return 0 // behind a hub, whose ports do not say
		}
		above = path.Dir(above)
	}
	fastest := 0.0
	for _, name := range m.Names(path.Dir(above)) {
		if strings.HasPrefix(name, "usb") {
			if speed, ok := m.Number(path.Dir(above), name, "speed"); ok {
				fastest = max(fastest, speed)
			}
		}
	}
	return fastest
}

// Parts of a device's binary object store (USB 3.2 Specification, 9.6.2): the
// SuperSpeed capability has a bit for each speed, the SuperSpeedPlus one an
// attribute of four bytes for each lane speed, with an exponent of 3 for
// gigabits.
const (
	storeHeader         = 5
	capabilityType      = 0x10
	superSpeed          = 0x03
	superSpeedPlus      = 0x0a
	speedsOffset        = 4
	fiveGigabitsBit     = 1 << 3
	attributesOffset    = 12
	attributeLength     = 4
	exponentShift       = 4
	exponentOfGigabits  = 3
	mantissaShift       = 16
	megabitsInAGigabit  = 1000
	megabitsOfSuper     = 5000
	shortestDescription = 3
)

// deviceMegabits is the fastest speed in a device's binary object store, or 0.
func deviceMegabits(store []byte) float64 {
	if len(store) < storeHeader {
		return 0
	}
	fastest := 0.0
	for store = store[storeHeader:]; len(store) >= shortestDescription; {
		length := int(store[0])
		if length < shortestDescription || length > len(store) {
			break
		}
		if store[1] == capabilityType {
			fastest = max(fastest, capabilityMegabits(store[:length]))
		}
		store = store[length:]
	}
	return fastest
}

func capabilityMegabits(capability []byte) float64 {
	fastest := 0.0
	switch length := len(capability); {
	case capability[2] == superSpeed && length >= speedsOffset+2:
		if binary.LittleEndian.Uint16(capability[speedsOffset:])&fiveGigabitsBit != 0 {
			fastest = megabitsOfSuper
		}
	case capability[2] == superSpeedPlus:
		for i := attributesOffset; i+attributeLength <= length; i += attributeLength {
			attribute := binary.LittleEndian.Uint32(capability[i:])
			if attribute>>exponentShift&3 == exponentOfGigabits {
				fastest = max(fastest, float64(attribute>>mantissaShift)*megabitsInAGigabit)
			}
		}
	}
	return fastest
}
