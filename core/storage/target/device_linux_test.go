package target

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"

	"golang.org/x/sys/unix"

	"opengauge/core/storage/direct"
	"opengauge/core/storage/payload"
	"opengauge/core/storage/scratch"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

const deviceSize = 64 * unit.MiB

// mine opens a device to be overwritten.
func mine(t *testing.T, device string, carrier Carrier) Target {
	t.Helper()
	opened, err := OpenPath(device, PathOptions{
		Carrier: carrier, Overwrite: fmt.Sprintf("%s:%d", device, deviceSize), OverwriteContents: true,
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = opened.Close() })
	return opened
}

func TestADeviceIsDescribed(t *testing.T) {
	device := witness.Loop(t, deviceSize)
	opened, err := OpenPath(device, PathOptions{})
	if err != nil {
		t.Fatal(err)
	}
	want := Description{Kind: Device, Address: device, Path: device, Span: deviceSize, Capacity: deviceSize,
		SmallestBlock: 512, Direct: true, Parallel: true}
	if got := opened.Description(); got != want {
		t.Errorf("%+v, want %+v", got, want)
	}
	_ = opened.Close()
	part, err := OpenPath(device, PathOptions{Size: unit.MiB})
	if err != nil || part.Description().Span != unit.MiB || part.Description().Capacity != deviceSize {
		t.Errorf("a part of it: %+v, %v", part.Description(), err)
	}
	_ = part.Close()
	if _, err := OpenPath(device, PathOptions{Size: deviceSize + 512}); err == nil ||
		!strings.Contains(err.Error(), "larger than") {
		t.Errorf("more than it holds: %v", err)
	}
	written := mine(t, device, Automatic)
	if d := written.Description(); !d.Writable {
		t.Errorf("%+v is to be written", d)
	}
	if _, err := OpenPath(device, PathOptions{Overwrite: fmt.Sprintf("%s:%d", device, deviceSize)}); err == nil ||
		!strings.Contains(err.Error(), "in use") {
		t.Errorf("it is opened twice for writing: %v", err)
	}
}

// A device is written only if it is named exactly, holds nothing, and nobody uses it.
func TestADeviceIsNotOverwritten(t *testing.T) {
	device := witness.Loop(t, deviceSize)
	named := fmt.Sprintf("%s:%d", device, deviceSize)
	refused := func(name, want string, options PathOptions) {
		t.Helper()
		opened, err := OpenPath(device, options)
		if err == nil {
			_ = opened.Close()
		}
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", name, err, want)
		}
	}
	for _, wrong := range []string{"yes", device, named + "0", strings.TrimSuffix(named, "4")} {
		refused("named "+wrong, "path and size, as it has no serial number, "+named, PathOptions{Overwrite: wrong})
	}
	if opened, err := OpenPath(device, PathOptions{Overwrite: named}); err != nil {
		t.Errorf("an empty one: %v", err)
	} else {
		_ = opened.Close()
	}
	folder := witness.MountExt4(t, device, "noatime")
	refused("mounted", "is mounted at "+folder, PathOptions{Overwrite: named, OverwriteContents: true})
	if err := unix.Unmount(folder, 0); err != nil {
		t.Fatal(err)
	}
	refused("with a file system", "it holds an ext file system", PathOptions{Overwrite: named})
	mine(t, device, Automatic)
}

func TestADeviceWithPartitions(t *testing.T) {
	device := witness.Loop(t, deviceSize)
	if _, err := exec.LookPath("sfdisk"); err != nil {
		t.Skip("there is no sfdisk here")
	}
	table := exec.Command("sfdisk", "--quiet", "--wipe", "never", device)
	table.Stdin = strings.NewReader("label: dos\n2048,8192\n16384,8192\n")
	if out, err := table.CombinedOutput(); err != nil {
		t.Skipf("partitions cannot be made here: %v: %s", err, out)
	}
	if out, err := exec.Command("partx", "--add", device).CombinedOutput(); err != nil {
		t.Skipf("partitions are not seen here: %v: %s", err, out)
	}
	t.Cleanup(func() { _ = exec.Command("partx", "--delete", device).Run() })
	d, err := readDevice(device)
	if err != nil || len(d.parts()) != 3 || d.whole() != d.folder {
		t.Fatalf("%+v has %v, %v", d, d.parts(), err)
	}
	part, err := readDevice(device + "p1")
	if err != nil || part.whole() != d.folder || part.size != 8192*512 || part.block != 512 {
		t.Errorf("the partition is %+v on %s, %v", part, part.whole(), err)
	}
	guards, err := d.guarded()
	if err != nil {
		t.Fatal(err)
	}
	err = guards.mayDestroy(PathOptions{}, nil)
	if err == nil || !strings.Contains(err.Error(), "it holds 2 partitions") {
		t.Errorf("a device with partitions: %v", err)
	}
	if err := guards.mayDestroy(PathOptions{OverwriteContents: true}, nil); err != nil {
		t.Errorf("though that is allowed: %v", err)
	}
	mounts, err := mountedOn([]string{"0:0"})
	if err != nil || len(mounts) > 0 {
		t.Errorf("on no device are mounted %v, %v", mounts, err)
	}
}

// What is recognised is what makers of file systems put there, by their own tools.
func TestContentsAreThoseThatToolsMake(t *testing.T) {
	for _, c := range []struct{ tool, want string }{
		{"mkfs.ext4 -q -F", "an ext file system"}, {"mkswap", "swap space"}, {"mkfs.xfs -q -f", "an XFS file system"},
		{"mkfs.vfat", "a FAT file system"}, {"mkfs.btrfs -q -f", "a Btrfs file system"},
		{"sfdisk --quiet", "a boot record or partition table"},
	} {
		arguments := strings.Fields(c.tool)
		if _, err := exec.LookPath(arguments[0]); err != nil {
			continue
		}
		image := filepath.Join(t.TempDir(), "image")
		if err := os.WriteFile(image, make([]byte, 320<<20), 0o600); err != nil {
			t.Fatal(err)
		}
		making := exec.Command(arguments[0], append(arguments[1:], image)...)
		making.Stdin = strings.NewReader("label: dos\n2048,8192\n")
		if out, err := making.CombinedOutput(); err != nil {
			t.Errorf("%s: %v: %s", c.tool, err, out)
			continue
		}
		file, err := os.Open(image)
		if err != nil {
			t.Fatal(err)
		}
		if got, err := contents(file, 320<<20); err != nil || got != c.want {
			t.Errorf("%s makes %q, %v; want %q", c.tool, got, err, c.want)
		}
		_ = file.Close()
	}
}

// The places and texts of signatures, from the formats' documents once more.
func TestContentsByTheirFormats(t *testing.T) {
	for _, c := range []struct {
		at          int
		magic, want string
	}{
		{0x200, "EFI PART", "a GPT partition table"}, {0x1000, "EFI PART", "a GPT partition table"},
		{0x438, "\x53\xef", "an ext file system"}, {0, "XFSB", "an XFS file system"},
		{0x10040, "_BHRfS_M", "a Btrfs file system"}, {3, "NTFS    ", "an NTFS file system"},
		{3, "EXFAT   ", "an exFAT file system"}, {0x36, "FAT12", "a FAT file system"},
		{0x52, "FAT32   ", "a FAT file system"},
		{0x400, "\xe2\xe1\xf5\xe0", "an EROFS file system"}, {0x400, "\x10\x20\xf5\xf2", "an F2FS file system"},
		{0, "hsqs", "a SquashFS file system"}, {0x8001, "CD001", "an ISO 9660 file system"},
		{0x400, "H+", "an HFS+ file system"},
		{0x20, "NXSB", "an APFS container"}, {0xff6, "SWAPSPACE2", "swap space"},
		{0, "LUKS\xba\xbe", "an encrypted volume"},
		{0x1000, "\xfc\x4e\x2b\xa9", "a RAID member"}, {0, "\xfc\x4e\x2b\xa9", "a RAID member"},
		{0x200, "LABELONE", "an LVM volume"}, {0x1fe, "\x55\xaa", "a boot record or partition table"},
	} {
		device := make([]byte, 1<<20)
		copy(device[c.at:], c.magic)
		if got, err := contents(bytes.NewReader(device), 1<<20); err != nil || got != c.want {
			t.Errorf("%q at %#x is %q, %v; want %q", c.magic, c.at, got, err, c.want)
		}
		device = make([]byte, 1<<20)
		copy(device[c.at+1:], c.magic)
		if got, _ := contents(bytes.NewReader(device), 1<<20); got == c.want && got != "" && c.at != 0 {
			t.Errorf("%q one byte behind %#x is %q", c.magic, c.at, got)
		}
	}
	if _, err := contents(brokenReader{}, 1<<20); !errors.Is(err, syscall.EIO) {
		t.Errorf("a device that cannot be read: %v", err)
	}
}

type brokenReader struct{}

func (brokenReader) ReadAt([]byte, int64) (int, error) { return 0, syscall.EIO }

// Each way to the kernel reads what it wrote, flushes, and tells errors and short reads
// of each operation, in its own slot.
func TestEveryCarrierOnADevice(t *testing.T) {
	runtime.LockOSThread() // a queue is of one thread
	defer runtime.UnlockOSThread()
	device := witness.Loop(t, deviceSize)
	for _, c := range []struct {
		carrier Carrier
		slots   int
		name    string
	}{{Automatic, 1, "positioned calls"}, {Automatic, 4, "io_uring"}, {Native, 1, "io_uring"}, {Native, 4, "io_uring"},
		{Threads, 1, "thread pool"}, {Threads, 4, "thread pool"}} {
		opened := mine(t, device, c.carrier)
		q, err := opened.Open(Shape{Slots: c.slots, Block: 8192})
		if err != nil {
			t.Fatal(err)
		}
		if q.Name() != c.name {
			t.Errorf("%s with %d slots is carried by %q", c.carrier, c.slots, q.Name())
		}
		var writes, reads []Operation
		data := payload.Compressible(0).Next(8192)
		for slot := range c.slots {
			o := Operation{Action: Write, Slot: slot, Offset: int64(slot) * 8192, Length: 8192, Durable: slot%2 == 0}
			if slot == 0 {
				o.Data = data
			} else {
				copy(q.Buffer(slot), bytes.Repeat([]byte{byte('a' + slot)}, 8192))
			}
			writes = append(writes, o)
			reads = append(reads, Operation{Action: Read, Slot: slot, Offset: int64(slot) * 8192, Length: 8192})
		}
		before := opened.Now()
		_, written := witness.Sectors(t, device)
		for _, done := range drive(t, q, opened, writes...) {
			if done.Err != nil || done.Submitted < before || done.Completed < done.Submitted ||
				done.Completed > opened.Now() {
				t.Errorf("%s: a write: %+v", c.name, done)
			}
		}
		if flushed := drive(t, q, opened, Operation{Action: Flush}); flushed[0].Err != nil || flushed[0].Slot != 0 {
			t.Errorf("%s: a flush: %+v", c.name, flushed[0])
		}
		if _, after := witness.Sectors(t, device); after-written != unit.Bytes(c.slots)*8192 {
			t.Errorf("%s: %d bytes were written, want %d", c.name, after-written, c.slots*8192)
		}
		for slot := range c.slots {
			clear(q.Buffer(slot))
		}
		drive(t, q, opened, reads...)
		if !bytes.Equal(q.Buffer(0), data) {
			t.Errorf("%s: what an operation brought with it does not come back", c.name)
		}
		for slot := 1; slot < c.slots; slot++ {
			if got := q.Buffer(slot); got[0] != byte('a'+slot) || got[8191] != byte('a'+slot) {
				t.Errorf("%s: slot %d reads %q", c.name, slot, got[:2])
			}
		}
		// Past the end nothing is read, and that is an error of this operation alone.
		odd := []Operation{{Action: Read, Slot: 0, Offset: int64(deviceSize) - 4096, Length: 8192}}
		if got := drive(t, q, opened, odd...); got[0].Err == nil {
			t.Errorf("%s: a read past the end is no error", c.name)
		}
		if got := drive(t, q, opened, reads...); got[0].Err != nil {
			t.Errorf("%s: a read after one that failed: %v", c.name, got[0].Err)
		}
		began := opened.Now()
		if filled, err := q.Wait(make([]Completion, 4), began+5*time.Millisecond); filled != 0 || err != nil ||
			opened.Now()-began < 4*time.Millisecond {
			t.Errorf("%s: waiting for nothing gives %d, %v after %s", c.name, filled, err, opened.Now()-began)
		}
		if err := errors.Join(q.Close(), opened.Close()); err != nil {
			t.Errorf("%s: closing: %v", c.name, err)
		}
	}
}

func TestDiscardForgetsFromAnOffset(t *testing.T) {
	device := witness.Loop(t, deviceSize)
	if err := os.WriteFile(device, bytes.Repeat([]byte{7}, 1<<20), 0o600); err != nil {
		t.Fatal(err)
	}
	opened := mine(t, device, Automatic)
	if err := opened.(Discarder).Discard(512 << 10); err != nil {
		t.Fatal(err)
	}
	_ = opened.Close()
	after := make([]byte, 1<<20)
	file, err := os.Open(device)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	if _, err := file.ReadAt(after, 0); err != nil {
		t.Fatal(err)
	}
	if after[0] != 7 || after[512<<10-1] != 7 || after[512<<10] != 0 || after[1<<20-1] != 0 {
		t.Errorf("before the offset is %d, %d, behind it %d, %d", after[0], after[512<<10-1], after[512<<10],
			after[1<<20-1])
	}
	read, err := OpenPath(device, PathOptions{})
	if err != nil {
		t.Fatal(err)
	}
	defer read.Close()
	if err := read.(Discarder).Discard(0); err != nil {
		t.Error(err)
	}
	if _, err := file.ReadAt(after, 0); err != nil || after[0] != 7 {
		t.Errorf("one that is only read was told to forget: %d, %v", after[0], err)
	}
}

// A folder is filled to a level of what its file system says, with what is asked for, and
// is as it was afterwards.
func TestFillingAFolder(t *testing.T) {
	device := witness.Loop(t, deviceSize)
	folder := witness.MountExt4(t, device, "noatime")
	opened, err := OpenPath(folder, PathOptions{Size: 4 * unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	used := func() (share float64, free uint64) {
		var s unix.Statfs_t
		if err := unix.Statfs(folder, &s); err != nil {
			t.Fatal(err)
		}
		taken := s.Blocks - s.Bfree
		return float64(taken) / float64(taken+s.Bavail), s.Bavail
	}
	_, before := used()
	asked, told := 0, 0.0
	data := func(length int) []byte {
		asked += length
		return payload.Compressible(0).Next(length)
	}
	filler := opened.(Filler)
	for _, level := range []float64{0.4, 0.7} {
		if err := filler.FillTo(context.Background(), level, data, func(share float64) { told = share }); err != nil {
			t.Fatal(err)
		}
		if share, _ := used(); share < level-0.04 || share > level+0.01 || told > level+0.01 || told < level-0.06 {
			t.Errorf("filled to %.3f, told %.3f, want %.2f", share, told, level)
		}
	}
	names, _ := filepath.Glob(filepath.Join(folder, "opengauge-filler-*.tmp"))
	if len(names) < 2 || asked < 30<<20 {
		t.Errorf("%d fillers of %d bytes: %v", len(names), asked, names)
	}
	stays := func(l scratch.Leftover) { t.Errorf("%s is taken for a leftover", l.Path) }
	if err := scratch.Sweep(folder, stays); err != nil {
		t.Error(err)
	}
	if err := filler.FillTo(context.Background(), 0.99, data, func(float64) {}); err == nil ||
		!strings.Contains(err.Error(), "would leave less than") {
		t.Errorf("filling it whole: %v", err)
	}
	stopped, stop := context.WithCancel(context.Background())
	stop()
	was := asked
	if err := filler.FillTo(stopped, 0.8, data, func(float64) {}); err != nil || asked != was {
		t.Errorf("a stopped fill asks for %d bytes, %v", asked-was, err)
	}
	if err := filler.Free(); err != nil {
		t.Fatal(err)
	}
	if names, _ := filepath.Glob(filepath.Join(folder, "*filler*")); len(names) > 0 {
		t.Errorf("left behind: %v", names)
	}
	if err := opened.Close(); err != nil {
		t.Fatal(err)
	}
	if _, after := used(); after < before {
		t.Errorf("%d blocks are free, and %d were", after, before)
	}
	file, err := OpenPath(filepath.Join(folder, "lost+found", ".."), PathOptions{Size: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	_ = file.Close()
}

// A test file is marked as one for as long as it is used, whatever its folder is called,
// and what only looks like one is let be.
func TestATestFileIsMarked(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "a[b]*?")
	if err := os.MkdirAll(folder, 0o700); err != nil {
		t.Fatal(err)
	}
	thesis := filepath.Join(folder, "opengauge-test-file-my-thesis.tmp")
	if err := os.WriteFile(thesis, []byte("abc"), 0o600); err != nil {
		t.Fatal(err)
	}
	opened, err := OpenPath(folder, PathOptions{Size: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	stays := func(l scratch.Leftover) { t.Errorf("%s is taken for a leftover", l.Path) }
	if err := scratch.Sweep(folder, stays); err != nil {
		t.Error(err)
	}
	if made, _ := os.ReadDir(folder); len(made) != 3 {
		t.Errorf("there are %v, want the file, its mark and the thesis", made)
	}
	if err := opened.Close(); err != nil {
		t.Error(err)
	}
	if left, _ := os.ReadDir(folder); len(left) != 1 || left[0].Name() != filepath.Base(thesis) {
		t.Errorf("left are %v", left)
	}
}

func TestRoomEndsBeforeTheReserve(t *testing.T) {
	device := witness.Loop(t, deviceSize)
	folder := witness.MountExt4(t, device, "noatime")
	opened, err := OpenPath(folder, PathOptions{Size: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	room := opened.(Roomy)
	if err := room.Room(); err != nil {
		t.Errorf("there is room: %v", err)
	}
	var s unix.Statfs_t
	_ = unix.Statfs(folder, &s)
	reserve := uint64(float64(s.Blocks) * 0.05)
	big := filepath.Join(folder, "somebody-elses")
	if err := os.WriteFile(big, make([]byte, (s.Bavail-reserve+64)*uint64(s.Bsize)), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := room.Room(); err == nil || !strings.Contains(err.Error(), "so writing was stopped") {
		t.Errorf("there is no room left: %v", err)
	}
	file, err := OpenPath(big, PathOptions{})
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	if err := file.(Roomy).Room(); err != nil {
		t.Errorf("a file that is only read needs none: %v", err)
	}
	if err := file.(Filler).FillTo(context.Background(), 0.5, nil, nil); err == nil {
		t.Error("a file is filled with files")
	}
	if d := file.Description(); d.FileSystem == "" || d.SmallestBlock == 0 || d.Capacity != d.Span {
		t.Errorf("it is described as %+v", d)
	}
}

// How large a test file is where nobody says, and what stays free.
func TestPlannedSize(t *testing.T) {
	device := witness.Loop(t, deviceSize)
	folder := witness.MountExt4(t, device, "noatime")
	var s unix.Statfs_t
	_ = unix.Statfs(folder, &s)
	free := unit.Bytes(s.Bavail) * unit.Bytes(s.Bsize)
	if size, err := PlannedSize(folder, 0); err != nil || size != free/10/unit.MiB*unit.MiB || size == 0 {
		t.Errorf("a tenth of %d is planned as %d, %v", free, size, err)
	}
	most := free - unit.Bytes(float64(unit.Bytes(s.Blocks)*unit.Bytes(s.Bsize))*0.05)
	if size, err := PlannedSize(folder, most-unit.MiB); err != nil || size != most-unit.MiB {
		t.Errorf("%d of %d: %d, %v", most-unit.MiB, free, size, err)
	}
	if _, err := PlannedSize(folder, most+unit.MiB); err == nil || !strings.Contains(err.Error(), "stay reserved") {
		t.Errorf("more than may be taken: %v", err)
	}
	if size, err := PlannedSize("/dev/shm", 0); err == nil && size > unit.GiB {
		t.Errorf("a large file system gets a test file of %d", size)
	}
	if _, err := PlannedSize(filepath.Join(folder, "none"), 0); err == nil {
		t.Error("a folder that is not there")
	}
}

// Storage of which a part can be read is there; what was replaced or removed is not.
func TestAnswers(t *testing.T) {
	name := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(name, make([]byte, 1<<20), 0o600); err != nil {
		t.Fatal(err)
	}
	opened, err := OpenPath(name, PathOptions{})
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	if err := opened.(Answerer).Answers(); err != nil {
		t.Errorf("it is there: %v", err)
	}
	if err := os.Rename(name, name+".away"); err != nil {
		t.Fatal(err)
	}
	if err := opened.(Answerer).Answers(); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("it is not: %v", err)
	}
	if err := opened.(Reopener).Reopen(nil); err == nil || !strings.Contains(err.Error(), "could not open") {
		t.Errorf("it is opened again: %v", err)
	}
	if err := os.WriteFile(name, make([]byte, 1<<20), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := opened.(Answerer).Answers(); err == nil || !strings.Contains(err.Error(), "another file") {
		t.Errorf("it is another: %v", err)
	}
	if err := opened.(Reopener).Reopen(nil); err != nil {
		t.Errorf("it is back: %v", err)
	}
	if err := opened.(Answerer).Answers(); err != nil {
		t.Errorf("it is there again: %v", err)
	}
}

func TestUsageOfADevice(t *testing.T) {
	device := witness.Loop(t, deviceSize)
	opened := mine(t, device, Threads)
	q, err := opened.Open(Shape{Slots: 2, Block: 1 << 20})
	if err != nil {
		t.Fatal(err)
	}
	defer q.Close()
	before := opened.Usage()
	for range 8 {
		drive(t, q, opened, Operation{Action: Write, Slot: 0, Length: 1 << 20}, Operation{Action: Read, Slot: 1,
			Offset: 8 << 20, Length: 1 << 20})
	}
	used := opened.Usage().Since(before)
	if !used.Known || used.Device.Read != 8*unit.MiB || used.Device.Written != 8*unit.MiB ||
		used.Device.Moved() != 16*unit.MiB || used.Processor <= 0 || used.Device.Waited < 0 {
		t.Errorf("%+v", used)
	}
	if unknown := used.Since(Usage{}); unknown.Known {
		t.Error("the difference to what is not known is known")
	}
	if _, ok := counters("/sys/class"); ok {
		t.Error("what is no device has counters")
	}
	if _, ok := counters(""); ok {
		t.Error("nothing has counters")
	}
}

// The process has used at least as much as the kernel counts of one of its threads, however long that waited.
func TestProcessorTimeGrows(t *testing.T) {
	before := ProcessorTime()
	own := witness.ProcessorTime(func() {
		for began := time.Now(); time.Since(began) < 30*time.Millisecond; {
			_ = direct.Up(3)
		}
	})
	const tick = 10 * time.Millisecond // the kernel may count in ticks
	if used := ProcessorTime() - before; used < own-tick {
		t.Errorf("%s of a thread's work took %s of processor time", own, used)
	}
}

// A device is not overwritten while a loop stands on it, or on a partition of it: what is
// mounted from there does not show at the device.
func TestADeviceUnderALoop(t *testing.T) {
	device := witness.Loop(t, deviceSize)
	above := witness.LoopOnto(t, device)
	folder := witness.MountExt4(t, above, "noatime")
	options := PathOptions{Overwrite: fmt.Sprintf("%s:%d", device, deviceSize), OverwriteContents: true}
	if opened, err := OpenPath(device, options); err == nil {
		_ = opened.Close()
		t.Error("a device is overwritten under a loop with a mounted file system")
	} else if !strings.Contains(err.Error(), "is mounted at "+folder) {
		t.Error(err)
	}
	if err := unix.Unmount(folder, 0); err != nil {
		t.Fatal(err)
	}
	if opened, err := OpenPath(device, options); err == nil ||
		!strings.Contains(err.Error(), filepath.Base(above)+" stands on it") {
		t.Errorf("under a loop that nobody uses: %v", err)
		if err == nil {
			_ = opened.Close()
		}
	}
	if out, err := exec.Command("losetup", "--detach", above).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	again := func() bool {
		opened, err := OpenPath(device, options)
		if err == nil {
			_ = opened.Close()
		}
		return err == nil
	}
	for range 30 {
		if again() {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Error("a device is not overwritten though nothing stands on it any more")
}

// A test file is gone on with only as itself: no link, no shorter file, and none without
// what was written to it.
func TestAFileThatComesBack(t *testing.T) {
	folder := t.TempDir()
	opened, err := OpenPath(folder, PathOptions{Size: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	device := opened.(Reopener)
	names, _ := filepath.Glob(filepath.Join(folder, "opengauge-"+TestFile+"-*.tmp"))
	if len(names) != 1 {
		t.Fatalf("test files are %v", names)
	}
	name := names[0]
	victim := filepath.Join(t.TempDir(), "victim")
	if err := os.WriteFile(victim, make([]byte, 2<<20), 0o600); err != nil {
		t.Fatal(err)
	}
	known := func(io.ReaderAt) error { return nil }
	unknown := func(io.ReaderAt) error { return &StrangerError{name, "nothing of it is there"} }
	if err := device.Reopen(unknown); err == nil {
		t.Error("what is open holds something else, and is gone on with")
	}
	for _, c := range []struct {
		name     string
		put      func() error
		ours     Recognise
		stranger bool
		fails    bool
	}{
		{"nothing", func() error { return nil }, known, false, true},
		{"a link", func() error { return os.Symlink(victim, name) }, known, true, true},
		{"a folder", func() error { return os.Mkdir(name, 0o700) }, known, false, true},
		{"a short file", func() error { return os.WriteFile(name, make([]byte, 4096), 0o600) }, known, true, true},
		{"another file", func() error { return os.WriteFile(name, make([]byte, 1<<20), 0o600) }, unknown, true, true},
		{"a file that nothing is known of", func() error { return os.WriteFile(name, make([]byte, 1<<20), 0o600) }, nil,
			true, true},
		{"the file", func() error { return os.WriteFile(name, make([]byte, 1<<20), 0o600) }, known, false, false},
	} {
		if err := errors.Join(os.RemoveAll(name), c.put()); err != nil {
			t.Fatal(err)
		}
		err := device.Reopen(c.ours)
		if stranger := new(StrangerError); (err != nil) != c.fails || errors.As(err, &stranger) != c.stranger {
			t.Errorf("%s: %v", c.name, err)
		}
	}
}
