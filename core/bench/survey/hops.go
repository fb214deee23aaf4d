package survey

import (
	"cmp"
	"path"
	"strings"

	"opengauge/core/bench/link"
)

// deepest is how many devices may stand on each other: a loop on a mapped device
// on an array, and no ring.
const deepest = 8

// hops gives the links from the root of the machine to a device, by the folders
// that its own is in, each of which is a bus, a port or a device on the way.
func (m *Machine) hops(folder string, depth int) []link.Hop {
	if depth == 0 {
		return nil
	}
	if strings.Contains(folder, "/virtual/") {
		return m.virtualHops(folder, depth)
	}
	var hops []link.Hop
	parts := strings.Split(folder, "/")
	for i := 2; i < len(parts); i++ {
		here := path.Join(parts[:i+1]...)
		hop, ok := m.tunnelAt(here)
		if !ok {
			hop, ok = m.hopAt(here, folder)
		}
		if ok {
			hops = append(hops, hop)
		}
	}
	return hops
}

// hopAt gives the link that leads to what is in a folder of sysfs, if one does.
func (m *Machine) hopAt(here, device string) (link.Hop, bool) {
	name := path.Base(here)
	switch {
	case m.Exists(here, "current_link_speed") && !m.isDownstream(here):
		return m.pcieHop(here)
	case m.Exists(here, "bDeviceClass") && !strings.HasPrefix(name, "usb"):
		return m.usbHop(here, device)
	case strings.HasPrefix(name, "ata") && m.Exists(here, "ata_port"):
		return m.sataHop(here, device)
	case strings.HasPrefix(name, "port-") && !strings.Contains(strings.TrimPrefix(here, "sys/devices/"), "ata"):
		return m.sasHop(here)
	case strings.HasPrefix(name, "mmc") && strings.Contains(name, ":"):
		return m.cardHop(here)
	case strings.HasPrefix(name, "virtio"):
		return link.Trained(name, link.State{Standard: "virtio"}, link.State{}), true
	}
	return link.Hop{}, false
}

// virtualHops gives the hops of what a device stands on, and one of its own.
func (m *Machine) virtualHops(folder string, depth int) []link.Hop {
	name := path.Base(folder)
	below := m.standsOn(folder, m.mounts())
	var hops []link.Hop
	if len(below) == 1 { // through several, no single order of hops leads
		if under, err := m.Resolve(path.Join("sys/block", below[0])); err == nil {
			hops = m.hops(under, depth-1)
		}
	}
	standard := ""
	switch kind := m.kindOf(name, folder); kind {
	case Loop:
		standard = "loop over " + cmp.Or(m.Text(folder, "loop/backing_file"), "nothing")
	case Mapped:
		standard = "device mapper over " + cmp.Or(strings.Join(below, ", "), "nothing")
	case Array:
		standard = cmp.Or(m.Text(folder, "md/level"), "array") + " over " + cmp.Or(strings.Join(below, ", "), "nothing")
	case Network:
		standard = "network block device"
	default:
		standard = string(kind)
	}
	return append(hops, link.Trained(name, link.State{Standard: standard}, link.State{}))
}
