package survey

import (
	"bytes"
	"io"
	"strings"

	"opengauge/core/bench/link"
	"opengauge/core/bench/macos"
	"opengauge/core/unit"
)

// macosFile is what a capture of macOS holds.
const macosFile = "macos.plist"

// macosMachine is a machine with macOS, or a capture of one. Reading reads it as it is now.
type macosMachine struct {
	read func() (*macos.Machine, error)
}

func (macosMachine) name() string { return "darwin" }

func (m macosMachine) devices() ([]Device, []string) {
	now, err := m.read()
	if err != nil {
		return []Device{}, []string{"disks: " + err.Error()}
	}
	devices := []Device{}
	for _, disk := range now.Disks() {
		devices = append(devices, macosDevice(disk))
	}
	return devices, now.Denied
}

// macosDevice is a disk of macOS as a device.
func macosDevice(disk macos.Disk) Device {
	d := Device{
		Name: disk.Name, Path: disk.Path, Serial: disk.Serial, Firmware: disk.Firmware,
		Model: strings.TrimSpace(disk.Vendor + " " + disk.Product), Capacity: unit.Bytes(disk.Bytes),
		Removable: disk.Removable, ReadOnly: disk.ReadOnly, Partitions: []Partition{}, Mounts: macosMounts(disk.Mounts),
	}
	for _, part := range disk.Partitions {
		d.Partitions = append(d.Partitions, Partition{Name: part.Name, Size: unit.Bytes(part.Bytes),
			Mounts: macosMounts(part.Mounts)})
	}
	switch {
	case disk.Interconnect == "Secure Digital":
		d.Kind = Card
	case disk.Interconnect == "Virtual Interface":
		d.Kind = Loop
	case disk.Rotates:
		d.Kind = HardDisk
	case disk.RotationKnown:
		d.Kind = SolidState
	default:
		d.Kind = UnknownDrive
	}
	d.Health, _ = parseHealth(disk.HealthPage, disk.ControlPage)
	d.TemperaturesCelsius = healthTemperatures(d.Health, 0, false)
	d.Chain = link.NewChain(macosHops(disk)...)
	d.traffic = disk.Traffic
	return d
}

func macosMounts(mounts []macos.Mount) []Mount {
	found := []Mount{}
	for _, each := range mounts {
		found = append(found, Mount{At: each.At, FileSystem: each.FileSystem, Options: each.Options, Source: each.Source})
	}
	return found
}

// macosHops gives the links from the root of the machine to a disk.
func macosHops(disk macos.Disk) []link.Hop {
	var hops []link.Hop
	for _, step := range disk.Way {
		switch {
		case step.PCI != nil:
			hops = append(hops, link.Trained(step.Name, pcieOf(step.PCI.Generation, step.PCI.Lanes),
				pcieOf(step.PCI.MostGeneration, step.PCI.MostLanes)))
		case step.USB != nil:
			hops = append(hops, link.Trained(step.Name, usbState(step.USB.Megabits, 1, string(disk.Transport)), link.State{}))
		case step.Tunnel != nil:
			hops = append(hops, macosTunnel(step))
		}
	}
	switch disk.Interconnect {
	case "Secure Digital":
		hops = append(hops, link.Trained("card slot", link.State{Standard: "card bus"}, link.State{}))
	case "Virtual Interface":
		hops = append(hops, link.Trained("disk image", link.State{Standard: "loop over a file"}, link.State{}))
	case "SATA", "ATA":
		hops = append(hops, link.Trained("sata port", link.State{Standard: "ata"}, link.State{}))
	case "Apple Fabric":
		hops = append(hops, link.Trained("inside of the processor", link.State{Standard: "fabric"}, link.State{}))
	}
	return hops
}

func macosTunnel(step macos.Step) link.Hop {
	generation := ""
	if step.Tunnel.Third {
		generation = "3"
	}
	unknown := link.State{Standard: "usb4 or thunderbolt"}
	standard, ok := link.Tunnel(step.Tunnel.GigabitsALane, int(step.Tunnel.Lanes), generation)
	if !ok {
		return link.Trained(step.Name, unknown, link.State{})
	}
	capable := link.State{}
	if most, ok := link.Tunnel(step.Tunnel.MostGigabitsALane, int(step.Tunnel.MostLanes), generation); ok {
		capable = most.State()
	}
	return link.Trained(step.Name, standard.State(), capable)
}

// holding finds a path's device: by its own name, with the letter of raw devices or
// without, or by the longest place that is a part of it.
func (m macosMachine) holding(devices []Device, name string) (Device, Mount, bool) {
	if device, ok := strings.CutPrefix(name, "/dev/"); ok {
		now, err := m.read()
		if err != nil {
			return Device{}, Mount{}, false
		}
		medium, _ := now.MediumOf(strings.TrimPrefix(device, "r"))
		for _, d := range devices {
			if d.Name == medium {
				return d, Mount{}, true
			}
		}
		return Device{}, Mount{}, false
	}
	var best Mount
	var on Device
	for _, d := range devices {
		for _, mount := range d.AllMounts() {
			at := strings.TrimSuffix(mount.At, "/")
			if (name == at || strings.HasPrefix(name, at+"/")) && (best.At == "" || len(mount.At) > len(best.At)) {
				best, on = mount, d
			}
		}
	}
	return on, best, best.At != ""
}

// unplaced are mounts of devices that the registry does not have: none of images or servers.
func (m macosMachine) unplaced() []string {
	now, err := m.read()
	if err != nil {
		return []string{"/"}
	}
	var places []string
	for _, mount := range now.Mounts {
		device, ok := strings.CutPrefix(mount.Source[strings.LastIndex(mount.Source, "@")+1:], "/dev/")
		if !ok {
			continue
		}
		if _, known := now.MediumOf(device); !known {
			places = append(places, mount.At)
		}
	}
	return places
}

func (m macosMachine) counted(d Device, into map[string]int64) {
	healthCounters(d.Health, d.Name, into)
	if d.traffic.TrafficIsKnown {
		into["io_errors "+d.Name] = d.traffic.Errors
		into["io_retries "+d.Name] = d.traffic.Again
	}
}

func (m macosMachine) capture(to io.Writer, mask func(string) string) ([]Device, []string, error) {
	now, err := m.read()
	if err != nil {
		return nil, nil, err
	}
	devices, untold := m.devices()
	hidden := func(text string) string { return text }
	if mask != nil {
		hidden = func(text string) string {
			for _, d := range devices {
				if d.Serial != "" {
					text = strings.ReplaceAll(text, d.Serial, mask(d.Serial))
				}
			}
			return text
		}
	}
	var packed bytes.Buffer
	if err := now.Write(&packed, hidden); err != nil {
		return nil, nil, err
	}
	files := tree{"": {folder: true}}
	files.put(macosFile, &entry{content: packed.Bytes()})
	return devices, untold, files.pack(to)
}
