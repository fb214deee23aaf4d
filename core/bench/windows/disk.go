package windows

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Disk is what Windows tells of a disk. Texts are empty and numbers zero where it does
// not.
type Disk struct {
	// Number is that of PhysicalDriveN.
	Number int
	// Path is where programs open it, and Interface the path by which it was found.
	Path, Interface         string
	Vendor, Product         string
	Serial, Firmware        string
	Bus                     Bus
	Bytes                   int64
	LogicalBlock            int64
	PhysicalBlock           int64
	Removable               bool
	Rotates, RotationKnown  bool
	Partitions              []Partition
	Volumes                 []Volume
	Way                     []Step
	Temperature             Temperature
	HealthPage, ControlPage []byte
	// ATA are the words of an ATA drive's identity, or nothing.
	ATA []byte
}

// Partition is a part of a disk.
type Partition struct {
	Number        int
	Offset, Bytes int64
}

// Extent is a stretch of a disk.
type Extent struct {
	Disk          int
	Offset, Bytes int64
}

// Volume is what a file system may be on.
type Volume struct {
	// Path is \\?\Volume{...}\, and Places are the letters and folders it is mounted at.
	Path       string
	Places     []string
	FileSystem string
	Extents    []Extent
	// NoDisk says that it is on none.
	NoDisk bool
}

// Temperature is what a disk says beside its health, in degrees Celsius.
type Temperature struct {
	Celsius, Warning, Critical int
	Known                      bool
}

// Fields of what disks answer.
var (
	numberKind   = field("STORAGE_DEVICE_NUMBER", "DeviceType", 0, 4)
	numberNumber = field("STORAGE_DEVICE_NUMBER", "DeviceNumber", 4, 4)

	queryWhat = field("STORAGE_PROPERTY_QUERY", "PropertyId", 0, 4)
	queryMore = field("STORAGE_PROPERTY_QUERY", "AdditionalParameters", 8, 1)

	deviceRemovable = field("STORAGE_DEVICE_DESCRIPTOR", "RemovableMedia", 10, 1)
	deviceVendor    = field("STORAGE_DEVICE_DESCRIPTOR", "VendorIdOffset", 12, 4)
	deviceProduct   = field("STORAGE_DEVICE_DESCRIPTOR", "ProductIdOffset", 16, 4)
	deviceRevision  = field("STORAGE_DEVICE_DESCRIPTOR", "ProductRevisionOffset", 20, 4)
	deviceSerial    = field("STORAGE_DEVICE_DESCRIPTOR", "SerialNumberOffset", 24, 4)
	deviceBus       = field("STORAGE_DEVICE_DESCRIPTOR", "BusType", 28, 4)

	alignLogical  = field("STORAGE_ACCESS_ALIGNMENT_DESCRIPTOR", "BytesPerLogicalSector", 16, 4)
	alignPhysical = field("STORAGE_ACCESS_ALIGNMENT_DESCRIPTOR", "BytesPerPhysicalSector", 20, 4)

	seekPenalty = field("DEVICE_SEEK_PENALTY_DESCRIPTOR", "IncursSeekPenalty", 8, 1)

	geometryBlock = field("DISK_GEOMETRY_EX", "Geometry.BytesPerSector", 20, 4)
	geometryBytes = field("DISK_GEOMETRY_EX", "DiskSize", 24, 8)

	layoutCount = field("DRIVE_LAYOUT_INFORMATION_EX", "PartitionCount", 4, 4)
	layoutFirst = field("DRIVE_LAYOUT_INFORMATION_EX", "PartitionEntry", 48, 144)
	partOffset  = field("PARTITION_INFORMATION_EX", "StartingOffset", 8, 8)
	partBytes   = field("PARTITION_INFORMATION_EX", "PartitionLength", 16, 8)
	partNumber  = field("PARTITION_INFORMATION_EX", "PartitionNumber", 24, 4)

	extentsCount = field("VOLUME_DISK_EXTENTS", "NumberOfDiskExtents", 0, 4)
	extentsFirst = field("VOLUME_DISK_EXTENTS", "Extents", 8, 24)
	extentDisk   = field("DISK_EXTENT", "DiskNumber", 0, 4)
	extentOffset = field("DISK_EXTENT", "StartingOffset", 8, 8)
	extentBytes  = field("DISK_EXTENT", "ExtentLength", 16, 8)
)

// Kinds of devices.
var (
	kindDisk    = number("FILE_DEVICE_DISK", 7)
	kindOptical = number("FILE_DEVICE_CD_ROM", 2)
	kindDVD     = number("FILE_DEVICE_DVD", 51)
)

// Bounds of what a disk answers.
const (
	smallAnswer   = 1 << 10
	largeAnswer   = 32 << 10
	mostInALayout = 128
)

// Disks gives the disks of a machine in the order of their numbers, and what was not
// told for want of rights, in words: "health of drives".
func Disks(s System) (found []Disk, untold []string) {
	a := &asker{System: s}
	var disks []Disk
	volumes := a.volumes()
	hubs := a.hubs()
	for _, path := range a.list(Interfaces, classDisk) {
		d, ok := a.disk(path)
		if !ok || slices.ContainsFunc(disks, func(other Disk) bool { return other.Number == d.Number }) {
			continue
		}
		for _, v := range volumes {
			if slices.ContainsFunc(v.Extents, func(e Extent) bool { return e.Disk == d.Number }) {
				d.Volumes = append(d.Volumes, v)
			}
		}
		if instance := a.list(Instance, path); len(instance) > 0 {
			d.Way = a.way(instance[0], hubs)
		}
		disks = append(disks, d)
	}
	slices.SortFunc(disks, func(a, b Disk) int { return a.Number - b.Number })
	return disks, a.untold
}

// disk asks a disk for all that it tells. What comes of one that is gone meanwhile, or is
// none, is not used.
func (a *asker) disk(path string) (Disk, bool) {
	which, err := a.query(path, getDeviceNumber, nil, smallAnswer)
	if err != nil || len(which) < numberNumber.Offset+4 || which.number(numberKind) != uint64(kindDisk) ||
		which.number(numberNumber) > math.MaxInt16 {
		return Disk{}, false
	}
	d := Disk{Number: int(which.number(numberNumber)), Interface: path}
	d.Path = fmt.Sprintf(`\\.\PhysicalDrive%d`, d.Number)
	a.describe(&d)
	a.size(&d)
	a.parts(&d)
	d.Temperature = a.temperature(path)
	if d.Bus == BusNVMe {
		d.HealthPage = a.protocol(path, protocolNVMe, nvmeLogPage, nvmeHealth, healthLength)
		d.ControlPage = a.protocol(path, protocolNVMe, nvmeIdentify, nvmeController, identityLength)
	}
	if d.Bus == BusSATA || d.Bus == BusATA {
		d.ATA = a.protocol(path, protocolATA, ataIdentify, 0, ataLength)
	}
	return d, true
}

// property asks for one of a disk's properties.
func (a *asker) property(path string, what uint32, most int) (answer, error) {
	question := make(answer, queryMore.Offset+4)
	question.put(queryWhat, what)
	return a.query(path, queryProperty, question, most)
}

func (a *asker) describe(d *Disk) {
	told, err := a.property(d.Interface, deviceProperty, largeAnswer)
	if err != nil {
		return
	}
	d.Vendor, d.Product = told.text(deviceVendor), told.text(deviceProduct)
	d.Firmware, d.Serial = told.text(deviceRevision), serialText(told.text(deviceSerial))
	d.Bus, d.Removable = Bus(told.number(deviceBus)), told.number(deviceRemovable) != 0
	if seek, err := a.property(d.Interface, seekProperty, smallAnswer); err == nil && len(seek) > seekPenalty.Offset {
		d.Rotates, d.RotationKnown = seek.number(seekPenalty) != 0, true
	}
	d.LogicalBlock, d.PhysicalBlock = a.blocks(d.Interface)
}

// blocks are the smallest block that a disk takes, and the one that it works in; 0 is not told.
func (a *asker) blocks(path string) (logical, physical int64) {
	align, err := a.property(path, alignmentProperty, smallAnswer)
	if err != nil {
		return 0, 0
	}
	return blockSize(align.number(alignLogical)), blockSize(align.number(alignPhysical))
}

// blockSize is a size of blocks that can be: a power of two.
func blockSize(value uint64) int64 {
	if value < 1 || value > 1<<24 || value&(value-1) != 0 {
		return 0
	}
	return int64(value)
}

func (a *asker) size(d *Disk) {
	told, err := a.query(d.Interface, getGeometry, nil, smallAnswer)
	if err != nil {
		return
	}
	if bytes := told.number(geometryBytes); bytes <= math.MaxInt64 {
		d.Bytes = int64(bytes)
	}
	if d.LogicalBlock == 0 {
		d.LogicalBlock = blockSize(told.number(geometryBlock))
	}
}

func (a *asker) parts(d *Disk) {
	told, err := a.query(d.Interface, getLayout, nil, largeAnswer)
	if err != nil {
		return
	}
	for i := range min(told.number(layoutCount), mostInALayout) {
		entry := answer(told.at(uint64(layoutFirst.Offset)+i*uint64(layoutFirst.Size), uint64(layoutFirst.Size)))
		part := Partition{Number: int(entry.number(partNumber)), Offset: int64(entry.number(partOffset)),
			Bytes: int64(entry.number(partBytes))}
		if part.Number > 0 && part.Bytes > 0 && part.Offset >= 0 { // what is left is empty places in the table
			d.Partitions = append(d.Partitions, part)
		}
	}
}

// volumes are those of the machine, and where each is.
func (a *asker) volumes() []Volume {
	var volumes []Volume
	for _, path := range a.list(Volumes, "") {
		v := Volume{Path: path, Places: a.list(Places, path)}
		if names := a.list(FileSystem, path); len(names) > 0 {
			v.FileSystem = names[0]
		}
		// The device itself is opened without the stroke at the end, which is its file
		// system's topmost folder.
		told, err := a.query(strings.TrimSuffix(path, `\`), getExtents, nil, largeAnswer)
		if err == nil {
			v.Extents = extents(told)
		}
		if len(v.Extents) == 0 {
			v.Extents, v.NoDisk = a.diskOf(strings.TrimSuffix(path, `\`))
		}
		volumes = append(volumes, v)
	}
	return volumes
}

// diskOf is the disk that a volume says it is on where it does not say of which stretches,
// or that it is on none: an optical drive's.
func (a *asker) diskOf(path string) (extents []Extent, none bool) {
	which, err := a.query(path, getDeviceNumber, nil, smallAnswer)
	if err != nil || len(which) < numberNumber.Offset+4 {
		return nil, false
	}
	switch kind, number := which.number(numberKind), which.number(numberNumber); {
	case kind == uint64(kindOptical) || kind == uint64(kindDVD):
		return nil, true
	case kind == uint64(kindDisk) && number <= math.MaxInt16:
		return []Extent{{Disk: int(number)}}, false
	}
	return nil, false
}

// Unplaced are the letters and folders of volumes of which the system does not tell on which
// disk they are: any disk may be theirs.
func Unplaced(s System) []string {
	var places []string
	for _, v := range (&asker{System: s}).volumes() {
		if len(v.Extents) == 0 && !v.NoDisk {
			places = append(places, v.Places...)
		}
	}
	return places
}

func extents(told answer) []Extent {
	var all []Extent
	for i := range min(told.number(extentsCount), mostInALayout) {
		entry := answer(told.at(uint64(extentsFirst.Offset)+i*uint64(extentsFirst.Size), uint64(extentsFirst.Size)))
		if entry == nil || entry.number(extentDisk) > math.MaxInt16 {
			break
		}
		all = append(all, Extent{Disk: int(entry.number(extentDisk)), Offset: int64(entry.number(extentOffset)),
			Bytes: int64(entry.number(extentBytes))})
	}
	return all
}

// serialText is a serial number as people read it: some drivers give its bytes in
// hexadecimal.
func serialText(text string) string {
	if len(text) < 16 || len(text)%2 != 0 {
		return text
	}
	var plain strings.Builder
	for i := 0; i < len(text); i += 2 {
		value, err := strconv.ParseUint(text[i:i+2], 16, 8)
		if err != nil || value != 0 && (value < ' ' || value > '~') {
			return text
		}
		if value != 0 {
			plain.WriteByte(byte(value))
		}
	}
	return strings.TrimSpace(plain.String())
}

// printable leaves out what cannot be shown, and what only fills up.
func printable(text string) string {
	text = strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r == '\uFFFD' {
			return -1
		}
		return r
	}, text)
	return strings.Join(strings.Fields(text), " ")
}
