package macos

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Disk is what macOS tells of a disk. Texts are empty and numbers zero where it does not.
type Disk struct {
	// Name is "disk4"; Path is where it is opened past the buffer cache, "/dev/rdisk4".
	Name, Path              string
	Vendor, Product         string
	Serial, Firmware        string
	Interconnect            string // "PCI-Express", "USB", "Secure Digital", "Virtual Interface"
	Bytes                   int64
	Removable, ReadOnly     bool
	Rotates, RotationKnown  bool
	Partitions              []Partition
	Mounts                  []Mount
	Way                     []Step
	Transport               Transport
	HealthPage, ControlPage []byte
	Traffic                 Traffic
}

// Partition is a part of a disk, with what is mounted of it.
type Partition struct {
	Name   string
	Bytes  int64
	Mounts []Mount
}

// Transport is how commands reach a drive over USB.
type Transport string

// The transports.
const (
	Queued   Transport = "queued"
	BulkOnly Transport = "bulk-only"
)

// Traffic is what a disk counted since it was attached.
type Traffic struct {
	Read, Written  int64
	Errors, Again  int64
	Waited         time.Duration
	TrafficIsKnown bool
}

// Keys that this program adds to the controller of an NVMe drive: the two pages by which
// it tells of itself (NVM Express Base Specification 2.0, 5.16.1.3 and 5.17.2.1).
const (
	KeyHealthPage  = "opengauge health page"
	KeyControlPage = "opengauge controller page"
)

// Disks gives the disks that are no part of others, in the order of their numbers: an APFS
// container is what its disk holds, not a disk.
func (m *Machine) Disks() []Disk {
	var disks []Disk
	for n := range m.Root.all {
		if n.isWhole() && n.outermost() == n {
			disks = append(disks, m.disk(n))
		}
	}
	slices.SortFunc(disks, func(a, b Disk) int {
		return cmp.Or(numberIn(a.Name)-numberIn(b.Name), strings.Compare(a.Name, b.Name))
	})
	return disks
}

// numberIn is the number of a disk's name.
func numberIn(name string) int {
	number, _ := strconv.Atoi(strings.TrimPrefix(name, "disk"))
	return number
}

// keyBSD is the name of a medium among devices.
const keyBSD = "BSD Name"

func (n *Node) isMedium() bool { return n.Text(keyBSD) != "" && n.has("Size") }

func (n *Node) has(key string) bool {
	_, ok := n.Properties[key]
	return ok
}

func (n *Node) isWhole() bool { return n.isMedium() && n.Flag("Whole") }

// outermost is the whole medium that a medium is on, in the end.
func (n *Node) outermost() *Node {
	var found *Node
	for each := range n.above {
		if each.isWhole() {
			found = each
		}
	}
	return found
}

func (m *Machine) disk(medium *Node) Disk {
	d := Disk{Name: medium.Text(keyBSD)}
	d.Path = "/dev/r" + d.Name
	d.Bytes, _ = medium.Number("Size")
	d.Removable = medium.Flag("Removable") || medium.Flag("Ejectable")
	d.ReadOnly = medium.has("Writable") && !medium.Flag("Writable")
	d.Mounts, d.Partitions = m.mountsOf(d.Name), m.parts(medium)
	for n := range medium.above {
		d.take(n)
	}
	d.Way = medium.way()
	return d
}

// parts gives the media that a medium holds, with what is mounted of each, on containers too.
func (m *Machine) parts(n *Node) []Partition {
	var found []Partition
	for _, child := range n.Children {
		if !child.isMedium() {
			found = append(found, m.parts(child)...)
			continue
		}
		part := Partition{Name: child.Text(keyBSD)}
		part.Bytes, _ = child.Number("Size")
		for each := range child.all {
			if each.isMedium() {
				part.Mounts = append(part.Mounts, m.mountsOf(each.Text(keyBSD))...)
			}
		}
		found = append(found, part)
	}
	return found
}

// mountsOf gives what is mounted of a medium: itself, or a snapshot of it.
func (m *Machine) mountsOf(name string) []Mount {
	var found []Mount
	for _, mount := range m.Mounts {
		source := mount.Source
		if at := strings.LastIndex(source, "@/dev/"); at >= 0 {
			source = source[at+1:]
		}
		rest, ok := strings.CutPrefix(source, "/dev/"+name)
		if ok && (rest == "" || name != "" && strings.Contains(strings.TrimPrefix(name, "disk"), "s") &&
			isSnapshot(rest)) {
			found = append(found, mount)
		}
	}
	return found
}

// isSnapshot says whether what follows a volume's name is that of its snapshot: "s1".
func isSnapshot(rest string) bool {
	number, ok := strings.CutPrefix(rest, "s")
	_, err := strconv.Atoi(number)
	return ok && err == nil
}

// MediumOf gives the outermost disk that a device is of, by its name: "disk3s1".
func (m *Machine) MediumOf(name string) (string, bool) {
	for name != "" {
		for n := range m.Root.all {
			if n.isMedium() && n.Text(keyBSD) == name {
				return n.outermost().Text(keyBSD), n.outermost() != nil
			}
		}
		cut := strings.LastIndex(name, "s")
		if cut <= len("di") { // the s of "disk" itself
			return "", false
		}
		name = name[:cut]
	}
	return "", false
}

// take reads what one of the entries above a medium tells of it.
func (d *Disk) take(n *Node) {
	if what := n.Part("Device Characteristics"); what != nil {
		d.Vendor = cmp.Or(d.Vendor, textOf(what["Vendor Name"]))
		d.Product = cmp.Or(d.Product, textOf(what["Product Name"]))
		d.Serial = cmp.Or(d.Serial, textOf(what["Serial Number"]))
		d.Firmware = cmp.Or(d.Firmware, textOf(what["Product Revision Level"]))
		switch textOf(what["Medium Type"]) {
		case "Solid State":
			d.RotationKnown = true
		case "Rotational":
			d.Rotates, d.RotationKnown = true, true
		}
	}
	if how := n.Part("Protocol Characteristics"); how != nil {
		d.Interconnect = cmp.Or(d.Interconnect, textOf(how["Physical Interconnect"]))
	}
	if counted := n.Part("Statistics"); counted != nil && !d.Traffic.TrafficIsKnown {
		d.Traffic = trafficOf(counted)
	}
	if page, ok := n.Properties[KeyHealthPage].([]byte); ok && d.HealthPage == nil {
		d.HealthPage = page
		d.ControlPage, _ = n.Properties[KeyControlPage].([]byte)
	}
	switch {
	case strings.Contains(n.Class, "UASDriver"):
		d.Transport = Queued
	case strings.HasPrefix(n.Class, "IOUSBMassStorage") && d.Transport == "":
		d.Transport = BulkOnly
	}
	if n.isUSB() && d.Serial == "" {
		d.Serial = cmp.Or(n.Text("USB Serial Number"), n.Text("kUSBSerialNumberString"))
	}
}

// trafficOf reads the statistics of a block storage driver, whose times are nanoseconds.
func trafficOf(counted map[string]any) Traffic {
	number := func(key string) int64 {
		value, _ := numberOf(counted[key])
		return value
	}
	_, known := numberOf(counted["Bytes (Read)"])
	return Traffic{
		Read: number("Bytes (Read)"), Written: number("Bytes (Write)"),
		Errors:         number("Errors (Read)") + number("Errors (Write)"),
		Again:          number("Retries (Read)") + number("Retries (Write)"),
		Waited:         time.Duration(number("Total Time (Read)") + number("Total Time (Write)")),
		TrafficIsKnown: known,
	}
}
