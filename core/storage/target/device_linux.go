package target

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"
	"unsafe"

	"golang.org/x/sys/unix"

	"opengauge/core/bench/kernel"
	"opengauge/core/clock"
	"opengauge/core/unit"
)

// blockDevice describes a block device as the kernel knows it.
type blockDevice struct {
	path   string
	number string // "259:0"
	// attached tells one time that a medium is attached from any other: the kernel counts
	// them (Documentation/ABI/stable/sysfs-block, diskseq), and makes a device anew.
	attached string
	folder   string // of the device in sysfs
	serial   string
	size     unit.Bytes
	// block is the smallest block that it takes.
	block unit.Bytes
}

// isDevice says whether a path is a block device's.
func isDevice(_ string, info fs.FileInfo) bool {
	return info != nil && info.Mode()&fs.ModeDevice != 0 && info.Mode()&fs.ModeCharDevice == 0
}

// openDevice opens a block device: for reading only, unless the options name it
// as one that may be overwritten.
func openDevice(path string, options PathOptions) (Target, error) {
	device, err := readDevice(path)
	if err != nil {
		return nil, err
	}
	span := device.size
	if options.Size > 0 {
		span = options.Size
	}
	if span > device.size {
		return nil, fmt.Errorf("--size %s is larger than %s, which holds %s", options.Size, path,
			device.size.Capacity())
	}
	opened := &kernelFile{clock: clock.Start(), carrier: options.Carrier, options: options,
		statistics: device.folder, serial: device.serial, attached: device.attached,
		description: Description{
			Kind: Device, Address: path, Path: path, Span: span, Capacity: device.size, SmallestBlock: device.block,
			Writable: options.Overwrite != "", Direct: true, Parallel: true,
		}}
	if options.Overwrite == "" {
		if opened.file, err = os.OpenFile(path, os.O_RDONLY|unix.O_DIRECT, 0); err != nil {
			return nil, explain("open", path, err)
		}
		return opened, nil
	}
	if err := device.mayOverwrite(options, nil); err != nil {
		return nil, err
	}
	if opened.claimed, err = device.claim(options); err != nil {
		return nil, err
	}
	if opened.file, err = writableBy(opened.claimed); err != nil {
		return nil, errors.Join(explain("open", path, err), opened.release())
	}
	before, _ := counters(opened.statistics)
	opened.writtenBefore = before.Written
	return opened, nil
}

// claim opens a device exclusively, which the kernel refuses where it is in use, and looks at the guards once
// more on the open device: nothing comes between them and it any more.
func (d blockDevice) claim(options PathOptions) (*os.File, error) {
	claimed, err := os.OpenFile(d.path, os.O_RDONLY|os.O_EXCL|unix.O_DIRECT, 0)
	if errors.Is(err, unix.EBUSY) {
		return nil, fmt.Errorf("%s is in use by the system or another program, so it is not overwritten: %w", d.path, err)
	}
	if err != nil {
		return nil, explain("open", d.path, err)
	}
	opened, err := describeOpen(claimed)
	if err == nil {
		err = opened.mayOverwrite(options, claimed)
	}
	if err != nil {
		return nil, errors.Join(err, claimed.Close())
	}
	return claimed, nil
}

// writableBy opens a claimed device for writing, wherever its path leads by now (proc(5), /proc/pid/fd).
func writableBy(claimed *os.File) (*os.File, error) {
	fd, err := unix.Open(fmt.Sprintf("/proc/self/fd/%d", claimed.Fd()), unix.O_RDWR|unix.O_DIRECT|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	return os.NewFile(uintptr(fd), claimed.Name()), nil
}

// reopenDevice opens a device that came back: the same one, by its serial number, its size, and the data that
// this run wrote. A device that is written to passes all guards again once it is open, and is claimed before
// it is written.
func (k *kernelFile) reopenDevice(ours Recognise) error {
	path := k.description.Path
	device, err := readDevice(path)
	if err != nil {
		return err
	}
	if device.attached == k.attached {
		return fmt.Errorf("%s is there, and does not answer", path)
	}
	if err := k.sameDevice(device, ours); err != nil {
		return err
	}
	if !k.description.Writable {
		file, err := os.OpenFile(path, os.O_RDONLY|unix.O_DIRECT, 0)
		if err != nil {
			return explain("open", path, err)
		}
		if err := k.goOnWith(file, k.recognise(file, ours)); err != nil {
			return err
		}
		k.statistics, k.attached = device.folder, device.attached
		return nil
	}
	if err := device.mayOverwrite(k.options, nil); err != nil {
		return &StrangerError{path, err.Error()}
	}
	// What was open is gone. Its claim would stand in the way of a device that has the same
	// number again.
	_ = errors.Join(k.file.Close(), k.release())
	claimed, err := device.claim(k.options)
	if err != nil {
		return err
	}
	opened, err := describeOpen(claimed)
	if err == nil {
		err = errors.Join(k.sameDevice(opened, ours), k.recognise(claimed, ours))
	}
	if err != nil {
		return errors.Join(err, claimed.Close())
	}
	file, err := writableBy(claimed)
	if err != nil {
		return errors.Join(explain("open", path, err), claimed.Close())
	}
	k.file, k.claimed, k.statistics, k.attached = file, claimed, opened.folder, opened.attached
	return nil
}

// sameDevice says why a device is not the one that was open.
func (k *kernelFile) sameDevice(d blockDevice, ours Recognise) error {
	stranger := func(format string, a ...any) error {
		return &StrangerError{k.description.Path, fmt.Sprintf(format, a...)}
	}
	switch {
	case d.serial != k.serial && d.serial == "":
		return stranger("it has no serial number, and had %s", k.serial)
	case d.serial != k.serial && k.serial == "":
		return stranger("it has the serial number %s, and had none", d.serial)
	case d.serial != k.serial:
		return stranger("its serial number is %s, and was %s", d.serial, k.serial)
	case d.size != k.description.Capacity:
		return stranger("it holds %s, and held %s", d.size.Capacity(), k.description.Capacity.Capacity())
	}
	return Resembles(k.description.Path, k.description.Writable, d.serial != "", ours)
}

func readDevice(path string) (blockDevice, error) {
	var status unix.Stat_t
	if err := unix.Stat(path, &status); err != nil {
		return blockDevice{}, explain("open", path, err)
	}
	return describeDevice(path, status)
}

// describeOpen describes a device that is open.
func describeOpen(file *os.File) (blockDevice, error) {
	var status unix.Stat_t
	if err := unix.Fstat(int(file.Fd()), &status); err != nil {
		return blockDevice{}, explain("open", file.Name(), err)
	}
	return describeDevice(file.Name(), status)
}

func describeDevice(path string, status unix.Stat_t) (blockDevice, error) {
	if status.Mode&unix.S_IFMT != unix.S_IFBLK {
		return blockDevice{}, fmt.Errorf("%s is no block device", path)
	}
	number := fmt.Sprintf("%d:%d", unix.Major(status.Rdev), unix.Minor(status.Rdev))
	folder, err := deviceFolder(number)
	if err != nil {
		return blockDevice{}, fmt.Errorf("the system knows nothing about the device %s: %w", path, err)
	}
	d := blockDevice{path: path, number: number, folder: folder}
	d.attached = number + " " + readWord(d.whole(), "diskseq")
	if info, err := os.Stat(folder); err == nil {
		if made, ok := info.Sys().(*syscall.Stat_t); ok {
			d.attached += fmt.Sprintf(" %d", made.Ino)
		}
	}
	sectors, err := strconv.ParseInt(readWord(folder, "size"), 10, 64)
	if err != nil {
		return d, fmt.Errorf("the size of %s cannot be read: %w", path, err)
	}
	d.size = unit.Bytes(sectors) * 512 // sysfs counts in 512-byte sectors, always
	if d.size == 0 {
		return d, fmt.Errorf("%s has no size: there is no medium in it, or it is not set up", path)
	}
	d.block = 512
	if block, err := strconv.ParseInt(readWord(d.whole(), "queue/logical_block_size"), 10, 64); err == nil &&
		block > 0 {
		d.block = unit.Bytes(block)
	}
	for _, place := range []string{"serial", "device/serial", "device/wwid", "wwid"} {
		if d.serial = readWord(d.whole(), place); d.serial != "" {
			break
		}
	}
	return d, nil
}

// deviceFolder is the folder of sysfs of the device of a number.
func deviceFolder(number string) (string, error) {
	if !kernel.Here().Exists("sys/dev/block", number) {
		return "", os.ErrNotExist
	}
	folder, err := kernel.Here().Resolve("sys/dev/block/" + number)
	return "/" + folder, err
}

// readWord reads one of the kernel's short texts, or nothing.
func readWord(folder, name string) string { return kernel.Here().Text(folder, name) }

// whole is the folder of the device that a partition is on, or of the device
// itself.
func (d blockDevice) whole() string {
	if _, err := os.Stat(filepath.Join(d.folder, "partition")); err == nil {
		return filepath.Dir(d.folder)
	}
	return d.folder
}

// guarded looks at all that keeps the device from being overwritten.
func (d blockDevice) guarded() (guarded, error) {
	affected := d.affected()
	numbers := make([]string, len(affected))
	for i, each := range affected {
		numbers[i] = each.number
	}
	g := guarded{path: d.path, serial: d.serial, size: d.size, parts: len(d.parts()) - 1}
	var err error
	if g.places, err = mountedOn(numbers); err == nil && len(g.places) == 0 {
		g.holder = d.standsOn(affected)
	}
	g.system = slices.Contains(g.places, "/")
	return g, err
}

// mayOverwrite says why a device, which may be open already, is not overwritten, or
// nothing.
func (d blockDevice) mayOverwrite(options PathOptions, open *os.File) error {
	g, err := d.guarded()
	if err != nil {
		return err
	}
	return g.mayOverwrite(options, func() (string, error) { return d.holds(open) })
}

// holds names the contents of a device, which may be open already.
func (d blockDevice) holds(open *os.File) (string, error) {
	if open != nil {
		return contents(open, d.size)
	}
	file, err := os.Open(d.path)
	if err != nil {
		return "", explain("open", d.path, err)
	}
	defer file.Close()
	return contents(file, d.size)
}

var _ Discarder = (*kernelFile)(nil)

// Discard tells a device that may be overwritten that its data from an offset on are not needed (linux/fs.h,
// BLKDISCARD). A device without such a command keeps them.
func (k *kernelFile) Discard(from unit.Bytes) error {
	if k.description.Kind != Device || !k.description.Writable {
		return nil
	}
	span := [2]uint64{uint64(from), uint64(k.description.Capacity - from)}
	_, _, errno := unix.Syscall(unix.SYS_IOCTL, k.file.Fd(), unix.BLKDISCARD, uintptr(unsafe.Pointer(&span[0])))
	if errno != 0 && errno != unix.EOPNOTSUPP {
		return explain("discard what is on", k.description.Path, errno)
	}
	return nil
}

// parts are the numbers of the device and of its partitions.
func (d blockDevice) parts() []string {
	numbers := []string{d.number}
	entries, _ := filepath.Glob(filepath.Join(d.folder, "*", "partition"))
	for _, entry := range entries {
		numbers = append(numbers, readWord(filepath.Dir(entry), "dev"))
	}
	return numbers
}

// mountedOn gives the mount points and swap uses of devices by their numbers,
// from the kernel's own tables (proc(5)).
func mountedOn(numbers []string) ([]string, error) {
	mounts, err := kernel.Here().Mounts()
	if err != nil {
		return nil, fmt.Errorf("what is mounted cannot be read, so nothing is overwritten: %w", err)
	}
	var places []string
	for _, mount := range mounts {
		if slices.Contains(numbers, mount.Number) && !slices.Contains(places, mount.At) {
			places = append(places, mount.At)
		}
	}
	swaps, err := kernel.Here().Read("proc/swaps")
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("what is swapped to cannot be read, so nothing is overwritten: %w", err)
	}
	for _, line := range strings.Split(string(swaps), "\n") {
		var status unix.Stat_t
		name, _, _ := strings.Cut(line, " ")
		if name == "" || unix.Stat(name, &status) != nil {
			continue
		}
		if slices.Contains(numbers, fmt.Sprintf("%d:%d", unix.Major(status.Rdev), unix.Minor(status.Rdev))) {
			places = append(places, "swap")
		}
	}
	return places, nil
}

// statisticsOf is the sysfs folder of the device that a file is on, or nothing
// where it is on none, or on several.
func statisticsOf(file *os.File) string {
	var status unix.Stat_t
	if unix.Fstat(int(file.Fd()), &status) != nil {
		return ""
	}
	folder, err := deviceFolder(fmt.Sprintf("%d:%d", unix.Major(status.Dev), unix.Minor(status.Dev)))
	if err != nil {
		return ""
	}
	return blockDevice{folder: folder}.whole()
}

// counters returns the counters of a device since the system started (Documentation/block/stat.rst: sectors
// of 512 bytes, and the time that requests waited, each for itself, in milliseconds).
func counters(statistics string) (Counters, bool) {
	if statistics == "" {
		return Counters{}, false
	}
	fields := strings.Fields(readWord(statistics, "stat"))
	const sectorsRead, sectorsWritten, waited = 2, 6, 10
	if len(fields) <= waited {
		return Counters{}, false
	}
	numbers := make([]int64, len(fields))
	for i, field := range fields {
		number, err := strconv.ParseInt(field, 10, 64)
		if err != nil {
			return Counters{}, false
		}
		numbers[i] = number
	}
	return Counters{
		Read: unit.Bytes(numbers[sectorsRead]) * 512, Written: unit.Bytes(numbers[sectorsWritten]) * 512,
		Waited: time.Duration(numbers[waited]) * time.Millisecond,
	}, true
}

// smallestBlock is the smallest direct I/O that a file takes, where the kernel
// says so (statx(2), STATX_DIOALIGN).
func smallestBlock(file *os.File) unit.Bytes {
	var status unix.Statx_t
	err := unix.Statx(int(file.Fd()), "", unix.AT_EMPTY_PATH, unix.STATX_DIOALIGN, &status)
	if err != nil || status.Mask&unix.STATX_DIOALIGN == 0 || status.Dio_offset_align == 0 {
		return 1
	}
	return unit.Bytes(status.Dio_offset_align)
}
