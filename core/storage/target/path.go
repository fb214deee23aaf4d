package target

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"sync/atomic"
	"time"

	"opengauge/core/bench/network"
	"opengauge/core/bench/space"
	"opengauge/core/clock"
	"opengauge/core/storage/direct"
	"opengauge/core/storage/fault"
	"opengauge/core/storage/scratch"
	"opengauge/core/unit"
)

// PathOptions say how a folder or file is opened.
type PathOptions struct {
	// Size is the size of the test file in a folder, or the part of a file that
	// is read. 0 chooses: 1 GiB or a tenth of the free space, whichever is
	// smaller, or all of a file.
	Size unit.Bytes
	// Carrier is the way by which operations go to the kernel; empty chooses.
	Carrier Carrier
	// Overwrite allows a block device to be written: it has to give the
	// device's serial number, or where it has none, "path:bytes".
	Overwrite string
	// OverwriteContents allows that even where the device holds something.
	OverwriteContents bool
}

const (
	// defaultSize is the size of a test file where nobody asked for another.
	defaultSize = unit.GiB
	// reservedShare of a file system stays free, so that a measurement does not
	// fill the disk that the system or the user's work is on.
	reservedShare = 0.05
	// sizeGrain keeps test files a whole number of the usual blocks.
	sizeGrain = unit.MiB
)

// OpenPath opens a folder, in which it makes a test file, or an existing file,
// which is only ever read.
func OpenPath(path string, options PathOptions) (Target, error) {
	if options.Carrier == Native { // which is told before anything is made and filled
		if err := nativeMissing(); err != nil {
			return nil, err
		}
	}
	info, err := os.Stat(path)
	if isDevice(path, info) {
		return openDevice(path, options)
	}
	if err != nil {
		return nil, explain("open", path, err)
	}
	switch mode := info.Mode(); {
	case mode.IsDir():
		if err := CheckMounted(path); err != nil {
			return nil, err
		}
		return openFolder(path, options)
	case mode.IsRegular():
		return openFile(path, info, options)
	default:
		return nil, fmt.Errorf("%s is neither a folder nor a file; name a folder on the storage to measure", path)
	}
}

// kernelFile is a file that this machine's kernel serves.
type kernelFile struct {
	file        *os.File
	clock       clock.Clock
	description Description
	carrier     Carrier
	// statistics is where the device's counters are, or empty.
	statistics string
	// claimed holds a device that is written to for this process; options say which guards
	// it passed, and serial and attached which it is. Files have none of them.
	claimed          *os.File
	options          PathOptions
	serial, attached string
	// home is where a test file is marked as one, which is removed on Close; nil for others. The
	// fillers are files that fill the file system.
	home    *scratch.Folder
	fillers []*os.File
	// writtenBefore is how much was written to the device before this run.
	writtenBefore unit.Bytes
	// freeing is how many bytes of them are not given back yet, once that has begun.
	freeing atomic.Int64
}

func openFolder(path string, options PathOptions) (Target, error) {
	// What killed runs left takes the room that this one needs; whoever wants to hear of it sweeps before.
	_ = scratch.Sweep(path, func(scratch.Leftover) {})
	usage, err := space.Of(path)
	if err != nil {
		return nil, explain("read the free space of", path, err)
	}
	size, err := fileSize(path, options.Size, usage)
	if err != nil {
		return nil, err
	}
	home, err := scratch.In(path)
	if err != nil {
		return nil, explain("create a test file in", path, err)
	}
	file, past, err := createIn(home, TestFile)
	if err != nil {
		return nil, errors.Join(explain("create a test file in", path, err), home.Close())
	}
	name := file.Name()
	made := &kernelFile{file: file, clock: clock.Start(), carrier: options.Carrier, home: home,
		description: Description{
			Kind: Folder, Address: path, Path: path, Span: size,
			Capacity: usage.Total, FileSystem: usage.FileSystem,
			Writable: true, Unfilled: true, Direct: past, Parallel: true,
		}}
	if err := direct.Reserve(made.file, int64(made.description.Span)); err != nil {
		return nil, errors.Join(explain("reserve "+size.Capacity()+" in", path, err), made.Close())
	}
	if err := made.settleDirect(name, func() (*os.File, error) { return os.OpenFile(name, os.O_RDWR, 0) }); err != nil {
		return nil, errors.Join(explain("write a test file in", path, err), made.Close())
	}
	made.lookAround()
	return made, nil
}

// lookAround finds out the smallest block of the file's device, and the place of its counters.
func (k *kernelFile) lookAround() {
	k.statistics = statisticsOf(k.file)
	whole := false
	k.description.Flusher, whole = direct.Flusher(k.file)
	k.description.PartFlush = !whole
	if k.description.Direct {
		k.description.SmallestBlock = smallestBlock(k.file)
	}
}

// TestFile is part of the names of test files.
const TestFile = "test-file"

// createIn makes a new file for direct I/O, marked as one that is removed again.
func createIn(home *scratch.Folder, of string) (file *os.File, past bool, err error) {
	name, err := home.Name(of)
	if err != nil {
		return nil, false, err
	}
	if file, past, err = direct.Create(name, 0o600); err != nil {
		return nil, false, err
	}
	if err := home.NoteMade(name); err != nil {
		return nil, false, errors.Join(err, file.Close())
	}
	return file, past, nil
}

// PlannedSize is how large a test file in the folder would be, or why it would
// not fit.
func PlannedSize(folder string, wanted unit.Bytes) (unit.Bytes, error) {
	usage, err := space.Of(folder)
	if err != nil {
		return 0, explain("read the free space of", folder, err)
	}
	return fileSize(folder, wanted, usage)
}

// fileSize decides how large a test file in a folder is.
func fileSize(path string, wanted unit.Bytes, usage space.Space) (unit.Bytes, error) {
	free := usage.Free
	if usage.Total == 0 { // some file systems in memory do not say
		if wanted == 0 {
			return 0, fmt.Errorf("the file system of %s does not say how much is free; give a --size", path)
		}
		return wanted, nil
	}
	if wanted == 0 {
		wanted = min(defaultSize, free/10) / sizeGrain * sizeGrain
		if wanted == 0 {
			return 0, fmt.Errorf("%s has only %s free, too little for a test file; free some space or give a --size",
				path, free.Capacity())
		}
	}
	reserve := reservedOf(usage)
	if wanted > free-reserve {
		return 0, fmt.Errorf("no space for a test file of %s in %s: %s are free and %s of them stay reserved; give "+
			"a smaller --size or free some space",
			wanted.Capacity(), path, free.Decimal(), reserve.Decimal())
	}
	return wanted, nil
}

// reservedOf returns the space of a file system that stays free.
func reservedOf(usage space.Space) unit.Bytes {
	return unit.Bytes(float64(usage.Total) * reservedShare)
}

// Room reports an error unless enough of the file system is still free for a test file to be written to.
// Others write too, and some file systems take new space when data are overwritten.
func (k *kernelFile) Room() error {
	if k.home == nil {
		return nil
	}
	usage, err := space.Of(k.description.Path)
	if err != nil {
		return explain("read the free space of", k.description.Path, err)
	}
	if reserve := reservedOf(usage); usage.Total > 0 && usage.Free < reserve {
		return fmt.Errorf("only %s are still free in %s, under the %s that stay reserved, so writing was stopped; "+
			"free some space and repeat",
			usage.Free.Decimal(), k.description.Path, reserve.Decimal())
	}
	return nil
}

func openFile(path string, info fs.FileInfo, options PathOptions) (Target, error) {
	size := unit.Bytes(info.Size())
	if options.Size > size {
		return nil, fmt.Errorf("--size %s is larger than %s, which holds %s", options.Size, path, size.Capacity())
	}
	if options.Size > 0 {
		size = options.Size
	}
	file, past, err := direct.Open(path)
	if err != nil {
		return nil, explain("open", path, err)
	}
	opened := &kernelFile{file: file, clock: clock.Start(), carrier: options.Carrier, description: Description{
		Kind: File, Address: path, Path: path, Span: size, Capacity: unit.Bytes(info.Size()),
		Direct: past, Parallel: true,
	}}
	if usage, err := space.Of(path); err == nil {
		opened.description.FileSystem = usage.FileSystem
	}
	if err := opened.settleDirect(path, func() (*os.File, error) { return os.Open(path) }); err != nil {
		return nil, errors.Join(explain("read", path, err), opened.Close())
	}
	opened.lookAround()
	return opened, nil
}

// settleDirect tries one direct operation, because some file systems open a
// file for direct I/O and then refuse to carry it. Those are opened anew.
func (k *kernelFile) settleDirect(path string, reopen func() (*os.File, error)) error {
	if !k.description.Direct || k.description.Span < probeSize {
		return nil
	}
	var err error
	if k.description.Writable {
		_, err = k.file.WriteAt(direct.Buffer(int(probeSize)), 0)
	} else {
		_, err = k.file.ReadAt(direct.Buffer(int(probeSize)), 0)
	}
	if fault.Of(err) != fault.Invalid {
		return err
	}
	cached, err := reopen()
	if err != nil {
		return err
	}
	_ = k.file.Close()
	k.file, k.description.Direct = cached, false
	return nil
}

func (k *kernelFile) Description() Description { return k.description }

func (k *kernelFile) Now() time.Duration { return k.clock.Now() }

func (k *kernelFile) Usage() Usage {
	device, ok := counters(k.statistics)
	return Usage{Processor: ProcessorTime(), Device: device, Known: ok}
}

// Open opens a queue on the file. Where the cache cannot be bypassed it is dropped first, so that at least a
// pass does not read data that an earlier one left there.
func (k *kernelFile) Open(shape Shape) (Queue, error) {
	if !k.description.Direct {
		if err := direct.Drop(k.file); err != nil {
			return nil, explain("drop the cache of", k.file.Name(), err)
		}
	}
	carrier := k.carrier
	if carrier == Automatic && network.Served(k.description.FileSystem) {
		// A program whose operations a server holds could not end: the kernel waits for those of
		// its native queue even where it is killed, and lets threads go.
		carrier = Threads
	}
	return carrier.open(k.file, k.clock, shape)
}

func (k *kernelFile) Close() error {
	k.label()
	closed := k.release()
	if k.home != nil {
		k.shrink()
		closed = errors.Join(closed, k.Free())
	}
	if err := k.file.Close(); !errors.Is(err, fs.ErrClosed) { // one that vanished was closed before
		closed = errors.Join(closed, err)
	}
	if k.home == nil {
		return closed
	}
	err := k.home.Close()
	k.freeing.Store(0)
	return errors.Join(closed, err)
}

// freedAtOnce is how much of a file is given back at a time: systems take a while for
// much, and nobody sees how far they are.
const freedAtOnce = 8 << 30

// shrink gives the test file's space back.
func (k *kernelFile) shrink() {
	info, err := os.Lstat(k.file.Name())
	if err != nil || !info.Mode().IsRegular() {
		return
	}
	left := info.Size()
	for _, filler := range k.fillers {
		if info, err := filler.Stat(); err == nil {
			left += info.Size()
		}
	}
	k.freeing.Store(left)
	for size := info.Size() - freedAtOnce; size > 0; size -= freedAtOnce {
		if k.file.Truncate(size) != nil {
			return // removing it gives back the rest
		}
		k.freeing.Add(-freedAtOnce)
	}
}

// Freeing returns the bytes of test files that are still to be given back, once that has begun.
func (k *kernelFile) Freeing() unit.Bytes { return unit.Bytes(k.freeing.Load()) }

// Answers tries a read in several places: storage of which a part cannot be read is
// still there.
func (k *kernelFile) Answers() error {
	info, err := k.file.Stat()
	if err != nil {
		return err
	}
	if k.description.Kind != Device { // a device is what is open, whatever its path leads to now
		now, err := os.Stat(k.file.Name())
		if err != nil {
			return err
		}
		if !os.SameFile(info, now) {
			return fmt.Errorf("%s is another file now", k.file.Name())
		}
	}
	const places = 16
	buffer := direct.Buffer(int(probeSize))
	for place := range places {
		at := int64(k.description.Span-probeSize) / places * int64(place) / int64(probeSize) * int64(probeSize)
		if _, err = k.file.ReadAt(buffer, max(at, 0)); k.answered(err) {
			return nil
		}
	}
	return err
}

// answered reports whether a read was answered, by its error. A device that was removed ends at its
// beginning.
func (k *kernelFile) answered(err error) bool {
	return err == nil || errors.Is(err, io.EOF) && k.description.Kind != Device
}
