package survey

import (
	"cmp"
	"encoding/binary"
	"fmt"
	"io"
	"strconv"
	"strings"

	"opengauge/core/bench/link"
	"opengauge/core/bench/windows"
	"opengauge/core/unit"
)

// windowsFile is what a capture of Windows holds.
const windowsFile = "windows.json"

// windowsMachine is a Windows machine, or a capture of one.
type windowsMachine struct{ of windows.System }

func (windowsMachine) name() string { return "windows" }

func (w windowsMachine) devices() ([]Device, []string) {
	disks, untold := windows.Disks(w.of)
	devices := make([]Device, 0, len(disks))
	for _, disk := range disks {
		devices = append(devices, windowsDevice(disk))
	}
	var refused []string
	for _, each := range untold {
		refused = append(refused, each+": Windows refuses that to this user; run the terminal as an administrator "+
			"(right click on it, Run as administrator)")
	}
	return devices, refused
}

// windowsDevice is a disk of Windows as a device.
func windowsDevice(disk windows.Disk) Device {
	d := Device{
		Name: fmt.Sprintf("PhysicalDrive%d", disk.Number), Path: disk.Path, Serial: disk.Serial, Firmware: disk.Firmware,
		Model: strings.TrimSpace(disk.Vendor + " " + disk.Product), Capacity: unit.Bytes(disk.Bytes),
		Removable: disk.Removable || disk.Bus == windows.BusUSB, Partitions: []Partition{}, Mounts: []Mount{},
	}
	if disk.Vendor == "NVMe" || disk.Vendor == "ATA" { // is what the driver says of all
		d.Model = disk.Product
	}
	for _, part := range disk.Partitions {
		p := Partition{Name: strconv.Itoa(part.Number), Size: unit.Bytes(part.Bytes), Mounts: []Mount{}}
		for _, v := range disk.Volumes {
			if volumeIn(v, disk.Number, part) {
				p.Mounts = append(p.Mounts, volumeMounts(v)...)
			}
		}
		d.Partitions = append(d.Partitions, p)
	}
	if len(disk.Partitions) == 0 {
		for _, v := range disk.Volumes {
			d.Mounts = append(d.Mounts, volumeMounts(v)...)
		}
	}
	d.Kind = windowsKind(disk)
	d.Health, _ = parseHealth(disk.HealthPage, disk.ControlPage)
	d.TemperaturesCelsius = healthTemperatures(d.Health, unit.Celsius(disk.Temperature.Celsius), disk.Temperature.Known)
	d.Chain = link.NewChain(windowsHops(disk)...)
	return d
}

// volumeIn says whether a volume begins in a part of a disk.
func volumeIn(v windows.Volume, number int, part windows.Partition) bool {
	for _, e := range v.Extents {
		if e.Disk == number && e.Offset >= part.Offset && e.Offset-part.Offset < part.Bytes {
			return true
		}
	}
	return false
}

func volumeMounts(v windows.Volume) []Mount {
	var mounts []Mount
	for _, place := range v.Places {
		mounts = append(mounts, Mount{At: place, FileSystem: v.FileSystem, Source: v.Path})
	}
	return mounts
}

func windowsKind(disk windows.Disk) Class {
	switch disk.Bus {
	case windows.BusSD, windows.BusMMC:
		return Card
	case windows.BusVirtual:
		return Paravirtual
	case windows.BusFile:
		return Loop
	case windows.BusSpaces:
		return Array
	case windows.BusNVMe:
		return SolidState
	}
	switch {
	case !disk.RotationKnown:
		return UnknownDrive
	case disk.Rotates:
		return HardDisk
	}
	return SolidState
}

// windowsHops gives the links from the root of the machine to a disk.
func windowsHops(disk windows.Disk) []link.Hop {
	var hops []link.Hop
	for i, step := range disk.Way {
		switch {
		case step.PCI != nil && step.Outside && i > 0 && !disk.Way[i-1].Outside:
			hops = append(hops, link.Trained(cmp.Or(step.Name, "a case outside"),
				link.State{Standard: "usb4 or thunderbolt"}, link.State{}))
		case step.PCI != nil && windowsLinkIsUp(disk.Way, i):
			if hop, ok := windowsPCIe(disk.Way, i); ok {
				hops = append(hops, hop)
			}
		case step.USB != nil:
			hops = append(hops, windowsUSB(disk, step))
		}
	}
	switch disk.Bus {
	case windows.BusSATA, windows.BusATA:
		hops = append(hops, windowsSATA(disk))
	case windows.BusSD, windows.BusMMC:
		hops = append(hops, link.Trained("card slot", link.State{Standard: "card bus"}, link.State{}))
	case windows.BusVirtual:
		hops = append(hops, link.Trained("virtual disk", link.State{Standard: "virtual disk"}, link.State{}))
	case windows.BusFile:
		hops = append(hops, link.Trained("disk image", link.State{Standard: "loop over a file"}, link.State{}))
	case windows.BusSpaces:
		hops = append(hops, link.Trained("storage space", link.State{Standard: "array"}, link.State{}))
	}
	return hops
}

// windowsLinkIsUp says whether the link that a PCI device tells of leads up from it. Of
// devices in a row the first is a root port, whose link leads down and is told where its
// other end is; then the two ends of switches take turns, and the last is what is
// attached.
func windowsLinkIsUp(way []windows.Step, i int) bool {
	before := 0
	for before < i && way[i-before-1].PCI != nil {
		before++
	}
	last := i == len(way)-1 || way[i+1].PCI == nil
	return last || before%2 == 1
}

// windowsPCIe gives the link between a PCI device and the port above it. Both ends say
// what they can do at the most; the link can do the lesser.
func windowsPCIe(way []windows.Step, i int) (link.Hop, bool) {
	own := way[i].PCI
	negotiated, capable := pcieOf(own.Generation, own.Lanes), pcieOf(own.MostGeneration, own.MostLanes)
	if i > 0 && way[i-1].PCI != nil {
		port := way[i-1].PCI
		capable = pcieOf(min(own.MostGeneration, port.MostGeneration), min(own.MostLanes, port.MostLanes))
	}
	return link.Trained("to "+cmp.Or(way[i].Name, way[i].Instance), negotiated, capable),
		negotiated.Known() || capable.Known()
}

// windowsUSB gives the link between a USB device and the port above it. What the port can
// do beyond 5 Gbit/s is not told, so that what both ends could do is known only where the
// device has no more, or runs at its fastest.
func windowsUSB(disk windows.Disk, step windows.Step) link.Hop {
	transport := ""
	for _, each := range disk.Way {
		switch strings.ToLower(each.Service) {
		case "uaspstor":
			transport = link.QueuedTransport
		case "usbstor":
			transport = link.BulkOnlyTransport
		}
	}
	own, capable := deviceMegabits(step.USB.Store), link.State{}
	if own > 0 && (own <= step.USB.Megabits || own <= megabitsOfSuper && step.USB.PortSuper) {
		capable = usbState(own, 1, transport)
	}
	return link.Trained(cmp.Or(step.Name, step.Instance), usbState(step.USB.Megabits, 1, transport), capable)
}

// windowsSATA reads the words 76 and 77 of an ATA drive's identity (ATA8-ACS, 7.12): the
// speeds that it can do, and in bits 3 to 1 the one that was negotiated. What its port
// could do is not told.
func windowsSATA(disk windows.Disk) link.Hop {
	const speedNow = 77
	const port = "sata port"
	if len(disk.ATA) < 2*(speedNow+1) {
		return link.Trained(port, link.State{Standard: "ata"}, link.State{})
	}
	generation := int(binary.LittleEndian.Uint16(disk.ATA[2*speedNow:]) >> 1 & 7)
	speeds := []float64{0, 1.5, 3, 6}
	if generation < 1 || generation >= len(speeds) {
		return link.Trained(port, link.State{Standard: "ata"}, link.State{})
	}
	standard, _ := link.Serial("SATA", speeds[generation])
	return link.Trained(port, standard.State(), link.State{})
}

// holding finds a path's device among volumes: a disk by its own name, all else by the
// longest place that is a part of it.
func (w windowsMachine) holding(devices []Device, name string) (Device, Mount, bool) {
	wanted := strings.ToLower(strings.ReplaceAll(name, "/", `\`))
	var best Mount
	var on Device
	for _, d := range devices {
		if strings.EqualFold(d.Path, name) || strings.EqualFold(d.Name, name) {
			return d, Mount{}, true
		}
		for _, mount := range d.AllMounts() {
			at := strings.ToLower(mount.At)
			if strings.HasPrefix(wanted+`\`, at) && len(mount.At) > len(best.At) ||
				strings.EqualFold(strings.TrimPrefix(wanted, `\\.\`), strings.TrimSuffix(at, `\`)) {
				best, on = mount, d
			}
		}
	}
	return on, best, best.At != ""
}

func (w windowsMachine) unplaced() []string { return windows.Unplaced(w.of) }

func (w windowsMachine) counted(d Device, into map[string]int64) {
	healthCounters(d.Health, d.Name, into)
}

func (w windowsMachine) capture(to io.Writer, mask func(string) string) ([]Device, []string, error) {
	recorder := windows.Record(w.of)
	devices, untold := windowsMachine{recorder}.devices()
	var secrets []string
	for _, d := range devices {
		secrets = append(secrets, d.Serial)
	}
	if mask == nil {
		mask, secrets = func(s string) string { return s }, nil
	}
	data, err := recorder.Capture(mask, secrets...)
	if err != nil {
		return nil, nil, err
	}
	files := tree{"": {folder: true}}
	files.put(windowsFile, &entry{content: data})
	return devices, untold, files.pack(to)
}
