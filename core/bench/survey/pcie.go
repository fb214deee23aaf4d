package survey

import (
	"cmp"
	"path"
	"strconv"
	"strings"

	"opengauge/core/bench/link"
)

// A PCI bridge to PCI has the class 0x0604 (PCI Code and ID Assignment
// Specification 1.11, 1.7).
const bridgeClass = "0x0604"

// isDownstream says whether a PCI device is a port whose link leads down: a
// bridge that is not itself behind a bridge's link on the same switch. The link
// of a port is told where its other end is.
func (m *Machine) isDownstream(here string) bool {
	return strings.HasPrefix(m.Text(here, "class"), bridgeClass) && !m.isUpstream(here)
}

// isUpstream says whether a bridge is the upper end of a switch: its own link
// leads up. Such a bridge has bridges directly under it.
func (m *Machine) isUpstream(here string) bool {
	if !strings.HasPrefix(m.Text(path.Dir(here), "class"), bridgeClass) {
		return false // directly on the root: a root port
	}
	for _, child := range m.Names(here) {
		if isPCIAddress(child) && strings.HasPrefix(m.Text(here, child, "class"), bridgeClass) {
			return true
		}
	}
	return false
}

// isPCIAddress says whether a name is like 0000:01:00.0.
func isPCIAddress(name string) bool {
	return len(name) >= 12 && strings.Count(name, ":") == 2 && strings.Contains(name, ".")
}

// pcieHop gives the link between a PCI device and the port above it. Both ends
// say what they can do at the most; the link can do the lesser.
func (m *Machine) pcieHop(here string) (link.Hop, bool) {
	negotiated := m.pcieState(here, "current_link_speed", "current_link_width")
	capable := m.pcieState(here, "max_link_speed", "max_link_width")
	if above := path.Dir(here); m.Exists(above, "max_link_speed") {
		capable = lesserPCIe(m, here, above)
	}
	name := "to " + path.Base(here)
	if above := path.Base(path.Dir(here)); isPCIAddress(above) {
		name = above + " " + name
	}
	if !negotiated.Known() && !capable.Known() {
		// Inside of the chip set: a device without a link of its own.
		return link.Hop{}, false
	}
	return link.Trained(name, negotiated, capable), true
}

// lesserPCIe is the most that both ends of a link can do: the lower speed and
// the fewer lanes.
func lesserPCIe(m *Machine, one, other string) link.State {
	speedOne, lanesOne := m.pcieFigures(one, "max_link_speed", "max_link_width")
	speedOther, lanesOther := m.pcieFigures(other, "max_link_speed", "max_link_width")
	if speedOne == 0 || speedOther == 0 || lanesOne == 0 || lanesOther == 0 {
		return link.State{}
	}
	return pcieStandard(min(speedOne, speedOther), min(lanesOne, lanesOther))
}

func (m *Machine) pcieState(here, speed, width string) link.State {
	return pcieStandard(m.pcieFigures(here, speed, width))
}

func pcieStandard(transfers float64, lanes int) link.State {
	if standard, ok := link.PCIe(transfers, lanes); ok {
		return standard.State()
	}
	return link.State{}
}

// pcieFigures reads "8.0 GT/s PCIe" and "4"; zero is unknown.
func (m *Machine) pcieFigures(here, speed, width string) (transfers float64, lanes int) {
	gigatransfers, ok := m.Number(here, speed)
	if !ok || !strings.Contains(m.Text(here, speed), "GT/s") {
		return 0, 0
	}
	lanes, err := strconv.Atoi(m.Text(here, width))
	if err != nil || lanes <= 0 || lanes > 32 {
		return 0, 0
	}
	return gigatransfers * 1e9, lanes
}

// tunnelAt gives the USB4 or Thunderbolt link that a PCI device is reached
// through: where the system marks it as removable, the port above it as fixed,
// and something is attached by such a link. Which of several it would be, the
// system does not say, so that its rate is then unknown. The PCI Express link
// that such a device reports is not a real one.
func (m *Machine) tunnelAt(here string) (link.Hop, bool) {
	if m.Text(here, "removable") != "removable" || m.Text(path.Dir(here), "removable") == "removable" ||
		!isPCIAddress(path.Base(here)) {
		return link.Hop{}, false
	}
	const bus = "sys/bus/thunderbolt/devices"
	var attached []string
	for _, name := range m.Names(bus) {
		if m.Exists(bus, name, "device_name") && !strings.HasSuffix(name, "-0") {
			attached = append(attached, name)
		}
	}
	switch len(attached) {
	case 0:
		return link.Hop{}, false
	case 1:
	default:
		return link.Trained("one of "+strings.Join(attached, ", "), link.State{Standard: "usb4 or thunderbolt"},
			link.State{}), true
	}
	device := path.Join(bus, attached[0])
	speed, _ := m.Number(device, "rx_speed")
	lanes, _ := m.Number(device, "rx_lanes")
	name := cmp.Or(m.Text(device, "device_name"), attached[0])
	standard, ok := link.Tunnel(speed, int(lanes), m.Text(device, "generation"))
	if !ok {
		return link.Trained(name, link.State{Standard: "usb4 or thunderbolt"}, link.State{}), true
	}
	return link.Trained(name, standard.State(), link.State{}), true
}
