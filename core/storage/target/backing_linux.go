package target

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"
)

// A device may stand on another one, or on a file, and others may stand on the same. Writing to it changes all
// of them: which they are follows from where the bytes of each lie in the end.

// extent is where bytes of a device lie: in an object, which is a device by its number or a file by its inode.
type extent struct {
	object   string
	from, to int64 // bytes
}

func (e extent) overlaps(other extent) bool {
	return e.object == other.object && e.from < other.to && other.from < e.to
}

// deepest is how many devices may stand on each other.
const deepest = 16

// extentsOf lists where a stretch of a device lies: in itself, and in all that it stands on.
func extentsOf(number string, from, to int64, depth int) []extent {
	found := []extent{{"device " + number, from, to}}
	folder, err := deviceFolder(number)
	if err != nil || depth == deepest {
		return found
	}
	below := func(number string, from, to int64) {
		found = append(found, extentsOf(number, from, to, depth+1)...)
	}
	if start, err := strconv.ParseInt(readWord(folder, "start"), 10, 64); err == nil { // it is a partition
		below(readWord(filepath.Dir(folder), "dev"), start*512+from, start*512+to)
	}
	if loop, ok := readLoop(folder); ok {
		if loop.device != "" {
			below(loop.device, loop.offset+from, loop.offset+to)
		} else {
			found = append(found, extent{loop.file, loop.offset + from, loop.offset + to})
		}
	}
	for _, slave := range wholeSlaves(folder) {
		below(slave, 0, sizeOf("/sys/dev/block/"+slave))
	}
	return found
}

// wholeSlaves lists the numbers of the devices that a mapped device or a RAID has all of. Of a volume that has
// a part of a device nobody tells which: others on that device are none of its business.
func wholeSlaves(folder string) []string {
	found, _ := filepath.Glob(filepath.Join(folder, "slaves", "*"))
	var numbers []string
	for _, slave := range found {
		const nearly = 0.9 // headers of encryption and checksums take the rest
		raid := strings.HasPrefix(filepath.Base(folder), "md")
		if raid || len(found) == 1 && float64(sizeOf(folder)) >= nearly*float64(sizeOf(slave)) {
			numbers = append(numbers, readWord(slave, "dev"))
		}
	}
	return numbers
}

// sizeOf returns the size of a device in bytes by its folder; sysfs counts in 512-byte sectors, always.
func sizeOf(folder string) int64 {
	sectors, _ := strconv.ParseInt(readWord(folder, "size"), 10, 64)
	return sectors * 512
}

// loop is the backing of a loop device: a device by its number, or else a file.
type loop struct {
	device, file string
	offset       int64
}

// readLoop asks a loop device (loop(4), LOOP_GET_STATUS64), or reads sysfs where it cannot be opened.
func readLoop(folder string) (loop, bool) {
	path := readWord(folder, "loop/backing_file")
	if path == "" {
		return loop{}, false
	}
	if file, err := os.Open("/dev/" + filepath.Base(folder)); err == nil {
		defer file.Close()
		if status, err := unix.IoctlLoopGetStatus64(int(file.Fd())); err == nil {
			found := loop{file: fileObject(status.Device, status.Inode), offset: int64(status.Offset)}
			if status.Rdevice != 0 {
				found.device = numberOf(status.Rdevice)
			}
			return found, true
		}
	}
	found := loop{}
	found.offset, _ = strconv.ParseInt(readWord(folder, "loop/offset"), 10, 64)
	var status unix.Stat_t
	if unix.Stat(path, &status) != nil {
		return found, false
	}
	if status.Mode&unix.S_IFMT == unix.S_IFBLK {
		found.device = numberOf(status.Rdev)
	}
	found.file = fileObject(status.Dev, status.Ino)
	return found, true
}

func numberOf(device uint64) string {
	return fmt.Sprintf("%d:%d", unix.Major(device), unix.Minor(device))
}

func fileObject(device, inode uint64) string {
	return fmt.Sprintf("file %s %d", numberOf(device), inode)
}

// affected lists the devices that writing to this one changes: itself, its partitions, those that it stands on,
// and those that stand on the same bytes.
func (d blockDevice) affected() []blockDevice {
	own := extentsOf(d.number, 0, int64(d.size), 0)
	folders, _ := filepath.Glob("/sys/class/block/*")
	found := []blockDevice{d}
	for _, folder := range folders {
		number := readWord(folder, "dev")
		size := sizeOf(folder)
		if number == d.number || size == 0 {
			continue
		}
		theirs := extentsOf(number, 0, size, 0)
		if slices.ContainsFunc(theirs, func(e extent) bool { return slices.ContainsFunc(own, e.overlaps) }) {
			resolved, err := filepath.EvalSymlinks(folder)
			if err == nil {
				found = append(found, blockDevice{number: number, folder: resolved, path: "/dev/" + filepath.Base(folder)})
			}
		}
	}
	return found
}

// below reports whether this device stands on another one.
func (d blockDevice) below(other blockDevice) bool {
	return slices.ContainsFunc(extentsOf(d.number, 0, int64(d.size), 0), func(e extent) bool {
		return e.object == "device "+other.number
	})
}

// standsOn names a device that stands on this one or holds the same bytes and is in use, or returns "": a mapped
// or encrypted volume, a RAID, a loop. Of loops the kernel keeps no list.
func (d blockDevice) standsOn(affected []blockDevice) string {
	for _, each := range affected {
		if found, _ := filepath.Glob(filepath.Join(each.folder, "holders", "*")); len(found) > 0 {
			for _, holder := range found {
				if filepath.Base(holder) != filepath.Base(d.folder) { // which is what is to be written
					return filepath.Base(holder)
				}
			}
		}
		isLoop := readWord(each.folder, "loop/backing_file") != ""
		if each.number == d.number || !isLoop || d.below(each) {
			continue
		}
		onThis := slices.ContainsFunc(extentsOf(each.number, 0, sizeOf(each.folder), 0), func(e extent) bool {
			return e.object == "device "+d.number || e.object == "device "+readWord(d.whole(), "dev")
		})
		if onThis || isClaimed(each.path) {
			return filepath.Base(each.folder)
		}
	}
	return ""
}

// isClaimed reports whether another program, or the kernel, has a device for itself (open(2), O_EXCL).
func isClaimed(path string) bool {
	file, err := os.OpenFile(path, os.O_RDONLY|os.O_EXCL, 0)
	if err == nil {
		_ = file.Close()
	}
	return err == unix.EBUSY || err != nil && strings.Contains(err.Error(), unix.EBUSY.Error())
}
