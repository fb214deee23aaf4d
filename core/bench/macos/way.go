package macos

import (
	"cmp"
	"slices"
	"strings"
)

// Step is a link on the way from the root of the machine to a disk.
type Step struct {
	Name string
	// One of them is there.
	PCI    *PCI
	USB    *USB
	Tunnel *Tunnel
}

// PCI is how the link of a PCI Express device runs, and what both of its ends could do:
// generations count from 1. What is not told is 0.
type PCI struct {
	Generation, Lanes         int
	MostGeneration, MostLanes int
}

// USB is how a USB device is connected.
type USB struct{ Megabits float64 }

// Tunnel is a USB4 or Thunderbolt link. What is not told is 0; several devices are
// attached where nobody can tell which it is.
type Tunnel struct {
	GigabitsALane, Lanes         float64
	MostGigabitsALane, MostLanes float64
	// Third says that the device is of Thunderbolt's third generation, which is older
	// than USB4.
	Third bool
}

// way gives the links from the root to a medium.
func (n *Node) way() []Step {
	var steps []Step
	for each := range n.above {
		switch {
		case each.isUSB():
			steps = append(steps, each.usb())
		case each.isPCI() && each.Flag("IOPCITunnelled") && !each.abovePCI().Flag("IOPCITunnelled"):
			steps = append(steps, each.tunnel())
		case each.isPCI() && !each.isDownstream():
			if step, ok := each.pci(); ok {
				steps = append(steps, step)
			}
		}
	}
	slices.Reverse(steps)
	return steps
}

func (n *Node) isPCI() bool { return n.Class == "IOPCIDevice" }

func (n *Node) isUSB() bool { return n.Class == "IOUSBHostDevice" || n.Class == "IOUSBDevice" }

// isBridge says whether a PCI device is a bridge to PCI: class 0604h (PCI Code and ID
// Assignment Specification 1.11, 1.7), above an interface of a byte.
func (n *Node) isBridge() bool {
	class, ok := n.Number("class-code")
	const interfaceBits, bridge = 8, 0x0604
	return ok && class>>interfaceBits == bridge
}

// abovePCI is the PCI device that one is behind; an empty entry for one on the root.
func (n *Node) abovePCI() *Node {
	for each := range n.Parent.above {
		if each.isPCI() {
			return each
		}
	}
	return &Node{}
}

// isDownstream says whether a PCI device is a port whose link leads down: that link is
// told where its other end is. The upper end of a switch is a bridge behind a bridge with
// bridges directly below it.
func (n *Node) isDownstream() bool {
	if !n.isBridge() {
		return false
	}
	return !n.abovePCI().isBridge() || !n.bridgesBelow()
}

func (n *Node) bridgesBelow() bool {
	for _, child := range n.Children {
		if child.isPCI() {
			if child.isBridge() {
				return true
			}
			continue
		}
		if child.bridgesBelow() {
			return true
		}
	}
	return false
}

// pci reads the registers of a link (PCI Express Base Specification 6.0, 7.5.3.6 and
// 7.5.3.8): speed in bits 3 to 0, width in bits 9 to 4, for the status and the
// capabilities alike.
func (n *Node) pci() (Step, bool) {
	p := &PCI{}
	p.Generation, p.Lanes = n.register("IOPCIExpressLinkStatus")
	p.MostGeneration, p.MostLanes = n.register("IOPCIExpressLinkCapabilities")
	if above := n.abovePCI(); above.has("IOPCIExpressLinkCapabilities") {
		generation, lanes := above.register("IOPCIExpressLinkCapabilities")
		p.MostGeneration, p.MostLanes = min(p.MostGeneration, generation), min(p.MostLanes, lanes)
	}
	if p.Generation == 0 || p.Lanes == 0 {
		p.Generation, p.Lanes = 0, 0
	}
	if p.MostGeneration == 0 || p.MostLanes == 0 {
		p.MostGeneration, p.MostLanes = 0, 0
	}
	return Step{Name: "to " + cmp.Or(n.Name, "a device"), PCI: p}, *p != PCI{}
}

func (n *Node) register(key string) (generation, lanes int) {
	value, ok := n.Number(key)
	if !ok || value < 0 {
		return 0, 0
	}
	return int(value & 0xf), int(value >> 4 & 0x3f)
}

// usb reads how a USB device is connected: by bits a second, or by the number of a speed.
func (n *Node) usb() Step {
	name := cmp.Or(n.Text("USB Product Name"), n.Text("kUSBProductString"), n.Name)
	if bits, ok := n.Number("UsbLinkSpeed"); ok && bits > 0 {
		return Step{Name: name, USB: &USB{float64(bits) / 1e6}}
	}
	speed, _ := n.Number("Device Speed")
	speeds := map[int64]float64{1: 12, 2: 480, 3: 5000, 4: 10000, 5: 20000}
	return Step{Name: name, USB: &USB{speeds[speed]}}
}

// tunnel gives the link that a tunnelled PCI device is reached through: that of the one
// device that is attached. Which of several it would be, the registry does not say.
func (n *Node) tunnel() Step {
	root := n
	for each := range n.above {
		root = each
	}
	var attached []*Node
	for each := range root.all {
		depth, _ := each.Number("Depth")
		if strings.HasPrefix(each.Class, "IOThunderboltSwitch") && depth > 0 {
			attached = append(attached, each)
		}
	}
	if len(attached) != 1 {
		var names []string
		for _, each := range attached {
			names = append(names, each.switchName())
		}
		return Step{Name: "one of " + strings.Join(names, ", "), Tunnel: &Tunnel{}}
	}
	t := attached[0].link()
	return Step{Name: attached[0].switchName(), Tunnel: &t}
}

func (n *Node) switchName() string { return cmp.Or(n.Text("Device Model Name"), n.Name) }

// link is that of the port by which a device is attached. Speeds and widths are those of
// the lane adapter (USB4 Specification 1.0, 8.2.2.3.1): 8, 4 and 2 stand for 10, 20 and
// 40 Gbit/s, and what is supported is their sum.
func (n *Node) link() Tunnel {
	upstream, _ := n.Number("Upstream Port Number")
	version, known := n.Number("Thunderbolt Version")
	const ofUSB4 = 0x20
	t := Tunnel{Third: known && version < ofUSB4}
	for port := range n.all {
		number, ok := port.Number("Port Number")
		if port != n && strings.HasPrefix(port.Class, "IOThunderboltSwitch") {
			continue
		}
		if !strings.HasPrefix(port.Class, "IOThunderboltPort") || !ok || number != upstream {
			continue
		}
		speed, _ := port.Number("Current Link Speed")
		width, _ := port.Number("Current Link Width")
		most, _ := port.Number("Supported Link Speed")
		widest, _ := port.Number("Supported Link Width")
		t.GigabitsALane, t.Lanes = laneSpeed(speed), lanes(width)
		t.MostGigabitsALane, t.MostLanes = n.bothEnds(laneSpeed(most), lanes(widest))
		return t
	}
	return t
}

// bothEnds is the lesser of what a device's end can do and the port that it is attached to.
// It is unknown where that does not say.
func (n *Node) bothEnds(gigabits, widest float64) (float64, float64) {
	for each := range n.Parent.above {
		if strings.HasPrefix(each.Class, "IOThunderboltPort") {
			most, _ := each.Number("Supported Link Speed")
			width, _ := each.Number("Supported Link Width")
			return min(gigabits, laneSpeed(most)), min(widest, lanes(width))
		}
	}
	return 0, 0
}

// laneSpeed is the fastest of the speeds in a field.
func laneSpeed(field int64) float64 {
	for _, speed := range []struct {
		bit      int64
		gigabits float64
	}{{2, 40}, {4, 20}, {8, 10}} {
		if field&speed.bit != 0 {
			return speed.gigabits
		}
	}
	return 0
}

// lanes are the most in a field: bit 0 is one, bit 1 is two.
func lanes(field int64) float64 {
	switch {
	case field&2 != 0:
		return 2
	case field&1 != 0:
		return 1
	}
	return 0
}
