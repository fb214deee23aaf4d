package survey

import (
	"path"
	"slices"
	"strconv"
	"strings"

	"opengauge/core/bench/link"
	"opengauge/core/bench/macos"
	"opengauge/core/unit"
)

// Device is a block device, with the hops from the root of the machine to it.
// Texts are empty, and pointers nil, where the system does not say.
type Device struct {
	Name string `json:"name"`
	// Path is where programs open it.
	Path     string     `json:"path"`
	Kind     Class      `json:"kind"`
	Model    string     `json:"model"`
	Serial   string     `json:"serial"`
	Firmware string     `json:"firmware"`
	Capacity unit.Bytes `json:"capacity_bytes"`
	// Removable says that its medium, or the device itself, can be taken out.
	Removable  bool        `json:"removable"`
	ReadOnly   bool        `json:"read_only,omitempty"`
	Partitions []Partition `json:"partitions"`
	// Mounts are where all of the device is mounted; see also Partitions.
	Mounts []Mount `json:"mounts"`
	// StandsOn are the devices that a virtual one is made of.
	StandsOn            []string                `json:"stands_on,omitempty"`
	TemperaturesCelsius map[string]unit.Celsius `json:"temperatures_celsius"`
	link.Chain
	Health *Health           `json:"health,omitempty"`
	Power  map[string]string `json:"power,omitempty"`

	folder  string        // in sysfs
	traffic macos.Traffic // on macOS
}

// Partition is a part of a device.
type Partition struct {
	Name   string     `json:"name"`
	Size   unit.Bytes `json:"size_bytes"`
	Mounts []Mount    `json:"mounts"`
}

// Class is what sort of storage a device is.
type Class string

// The kinds of device.
const (
	SolidState   Class = "solid-state drive"
	HardDisk     Class = "hard disk"
	Card         Class = "memory card"
	Paravirtual  Class = "paravirtual disk"
	Loop         Class = "loop device"
	Mapped       Class = "mapped device"
	Array        Class = "array"
	Network      Class = "network block device"
	Memory       Class = "memory"
	Optical      Class = "optical drive"
	UnknownDrive Class = "unknown"
)

// Devices gives every block device that has a size, in the order of their names.
func (m *Machine) Devices() []Device {
	if m.other != nil {
		devices, untold := m.other.devices()
		m.keep(untold)
		if m.live {
			return withSpace(devices)
		}
		return devices
	}
	if m.live && !LinksAreRead {
		return volumes()
	}
	mounts := m.mounts()
	names := m.Names("sys/block")
	slices.SortFunc(names, natural)
	devices := []Device{}
	for _, name := range names {
		if device, ok := m.device(name, mounts); ok {
			devices = append(devices, device)
		}
	}
	return devices
}

// natural orders sdb before sdaa, and loop2 before loop10.
func natural(a, b string) int {
	if len(a) != len(b) && strings.TrimRight(a, "0123456789") == strings.TrimRight(b, "0123456789") {
		return len(a) - len(b)
	}
	return strings.Compare(a, b)
}

// sectorSize is the unit of sizes in sysfs, whatever the device's own is
// (Documentation/ABI/stable/sysfs-block).
const sectorSize = 512

func (m *Machine) device(name string, mounts mountTable) (Device, bool) {
	folder, err := m.Resolve(path.Join("sys/block", name))
	if err != nil {
		return Device{}, false
	}
	sectors, ok := m.Number(folder, "size")
	if !ok || sectors <= 0 || sectors > 1e16 {
		return Device{}, false
	}
	d := Device{
		Name: name, Path: "/dev/" + strings.ReplaceAll(name, "!", "/"), Capacity: unit.Bytes(sectors) * sectorSize,
		Removable: m.Text(folder, "removable") == "1", ReadOnly: m.Text(folder, "ro") == "1",
		Partitions: []Partition{}, TemperaturesCelsius: m.temperatures(folder), folder: folder,
	}
	d.Kind = m.kindOf(name, folder)
	d.Mounts = mounts.of(m.Text(folder, "dev"), d.Path)
	for _, child := range m.Names(folder) {
		if !m.Exists(folder, child, "partition") {
			continue
		}
		size, _ := m.Number(folder, child, "size")
		number := m.Text(folder, child, "dev")
		d.Partitions = append(d.Partitions, Partition{Name: child, Size: unit.Bytes(size) * sectorSize,
			Mounts: mounts.of(number, "/dev/"+child)})
	}
	slices.SortFunc(d.Partitions, func(a, b Partition) int { return natural(a.Name, b.Name) })
	m.identify(&d)
	d.Chain = link.NewChain(m.hops(folder, deepest)...)
	d.StandsOn = m.standsOn(folder, mounts)
	d.Power = m.power(folder)
	d.Health = m.health(&d)
	return d, true
}

func (m *Machine) kindOf(name, folder string) Class {
	switch {
	case strings.HasPrefix(name, "loop"):
		return Loop
	case strings.HasPrefix(name, "dm-"):
		return Mapped
	case strings.HasPrefix(name, "md"):
		return Array
	case strings.HasPrefix(name, "nbd"), strings.HasPrefix(name, "rbd"):
		return Network
	case strings.HasPrefix(name, "zram"), strings.HasPrefix(name, "ram"), strings.HasPrefix(name, "pmem"):
		return Memory
	case strings.HasPrefix(name, "vd"), strings.HasPrefix(name, "xvd"):
		return Paravirtual
	case strings.HasPrefix(name, "mmcblk"):
		return Card
	case strings.HasPrefix(name, "sr"):
		return Optical
	}
	switch m.Text(folder, "queue/rotational") {
	case "0":
		return SolidState
	case "1":
		return HardDisk
	}
	return UnknownDrive
}

// identify reads model, serial and firmware from wherever the device's kind
// keeps them.
func (m *Machine) identify(d *Device) {
	first := func(names ...string) string {
		for _, name := range names {
			if text := m.Text(d.folder, name); text != "" {
				return strings.Join(strings.Fields(text), " ")
			}
		}
		return ""
	}
	d.Model = first("device/model", "device/name", "dm/name", "md/metadata_version")
	if vendor := m.Text(d.folder, "device/vendor"); vendor != "" && !strings.HasPrefix(vendor, "0x") &&
		vendor != "ATA" && d.Model != "" {
		d.Model = strings.Join(strings.Fields(vendor), " ") + " " + d.Model
	}
	d.Serial = first("device/serial", "serial", "device/cid", "dm/uuid")
	d.Firmware = first("device/firmware_rev", "device/rev", "device/fwrev")
	if d.Serial == "" {
		d.Serial = serialPage(m.Raw(d.folder, "device/vpd_pg80"))
	}
	if d.Serial == "" { // of the USB device that it is in
		for above := range upwards(path.Dir(d.folder)) {
			if m.Exists(above, "bDeviceClass") {
				d.Serial = m.Text(above, "serial")
				break
			}
		}
	}
}

// serialPage takes the serial number out of a SCSI vital product data page 80h:
// four bytes of header, then text (SPC-4, 7.8.16).
func serialPage(page string) string {
	const header = 4
	if len(page) <= header {
		return ""
	}
	text := strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' {
			return -1
		}
		return r
	}, page[header:])
	return strings.TrimSpace(text)
}

// standsOn gives the devices that a loop, mapped or array device is made of.
func (m *Machine) standsOn(folder string, mounts mountTable) []string {
	below := m.Names(folder, "slaves")
	slices.SortFunc(below, natural)
	if file := m.Text(folder, "loop/backing_file"); file != "" {
		if device := m.deviceOfFile(file, mounts); device != "" {
			below = append(below, device)
		}
	}
	return below
}

// BackingFile is the file that a loop device is made of, or empty.
func (m *Machine) BackingFile(d Device) string { return m.Text(d.folder, "loop/backing_file") }

// deviceOfFile is the name of the block device whose file system holds a file.
func (m *Machine) deviceOfFile(file string, mounts mountTable) string {
	mount, ok := mounts.holding(file)
	if !ok {
		return ""
	}
	return m.deviceOfNumber(mount.number, mount.Source)
}

// deviceOfNumber is the name of the whole device with that number, or that a
// mount of a file system without a number of its own came from.
func (m *Machine) deviceOfNumber(number, source string) string {
	folder, err := m.Resolve(path.Join("sys/dev/block", number))
	if err != nil || !m.Exists(folder, "size") {
		name, isDevice := strings.CutPrefix(source, "/dev/")
		if !isDevice {
			return ""
		}
		if folder, err = m.Resolve(path.Join("sys/class/block", name)); err != nil || !m.Exists(folder, "size") {
			return ""
		}
	}
	if m.Exists(folder, "partition") {
		folder = path.Dir(folder)
	}
	return path.Base(folder)
}

// power is what saves power at the cost of latency: of the machine's PCI Express
// links, the drive and the USB device it is in.
func (m *Machine) power(folder string) map[string]string {
	settings := map[string]string{}
	add := func(name, value string) {
		if value != "" {
			settings[name] = value
		}
	}
	if policy := m.Text("sys/module/pcie_aspm/parameters/policy"); policy != "" {
		add("pcie_link_power_policy", chosen(policy))
	}
	for above := range upwards(folder) {
		switch {
		case m.Exists(above, "bDeviceClass"):
			add("usb_autosuspend_"+path.Base(above), m.Text(above, "power/control"))
		case strings.HasPrefix(path.Base(above), "host"):
			add("sata_link_power_policy", m.Text(above, "scsi_host", path.Base(above), "link_power_management_policy"))
		case m.Exists(above, "current_link_speed"):
			add("pcie_power_state_"+path.Base(above), m.Text(above, "power_state"))
		}
	}
	if limit := m.Text("sys/module/nvme_core/parameters/default_ps_max_latency_us"); limit != "" &&
		strings.HasPrefix(path.Base(folder), "nvme") {
		add("nvme_power_state_latency_limit_us", limit)
	}
	if len(settings) == 0 {
		return nil
	}
	return settings
}

// chosen is the choice in brackets: "default [performance] powersave".
func chosen(choices string) string {
	_, rest, found := strings.Cut(choices, "[")
	inside, _, closed := strings.Cut(rest, "]")
	if !found || !closed {
		return choices
	}
	return inside
}

// temperatures gives what the sensors of a device and of those it is in report
// (Documentation/hwmon/sysfs-interface: thousandths of a degree).
func (m *Machine) temperatures(folder string) map[string]unit.Celsius {
	found := map[string]unit.Celsius{}
	for above := range upwards(folder) {
		for _, place := range []string{above, path.Join(above, "hwmon"), path.Join(above, "device"),
			path.Join(above, "device/hwmon")} {
			for _, name := range m.Names(place) {
				if strings.HasPrefix(name, "hwmon") && name != "hwmon" {
					m.readSensors(path.Join(place, name), found)
				}
			}
		}
		if len(found) > 0 {
			break
		}
	}
	return found
}

func (m *Machine) readSensors(folder string, found map[string]unit.Celsius) {
	for _, file := range m.Names(folder) {
		input, isInput := strings.CutSuffix(file, "_input")
		if !isInput || !strings.HasPrefix(input, "temp") {
			continue
		}
		value, ok := m.Number(folder, file)
		if celsius := unit.Celsius(value / 1000); ok && celsius.Believable() {
			found[m.sensorName(folder, input)] = unit.Celsius(celsius)
		}
	}
}

// sensorName is "drive" for the drive's own first sensor, or the sensor's label.
func (m *Machine) sensorName(folder, sensor string) string {
	if sensor == "temp1" {
		return "drive"
	}
	label := strings.ToLower(m.Text(folder, sensor+"_label"))
	if label == "" {
		number := strings.TrimPrefix(sensor, "temp")
		if _, err := strconv.Atoi(number); err == nil {
			return "sensor " + number
		}
	}
	return label
}
