package target

import (
	"errors"
	"io/fs"
	"os"
	"strings"

	"golang.org/x/sys/unix"

	"opengauge/core/bench/survey"
	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// isDevice says whether a path is a disk's: those past the buffer cache are character
// devices here.
func isDevice(path string, info fs.FileInfo) bool {
	return info != nil && info.Mode()&fs.ModeDevice != 0 &&
		(strings.HasPrefix(path, "/dev/rdisk") || strings.HasPrefix(path, "/dev/disk"))
}

// systemHome is where the system runs from.
func systemHome() string { return "/" }

// openRaw opens a device past the cache.
func openRaw(path string, flags int) (*os.File, error) { return direct.Reopen(path, flags, true) }

// claimRaw opens a device with a lock that others who ask for one see (open(2), O_EXLOCK);
// the system itself refuses to open one for writing that is mounted.
func claimRaw(path string) (*os.File, error) {
	fd, err := unix.Open(path, unix.O_RDWR|unix.O_EXLOCK|unix.O_NONBLOCK|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	return os.NewFile(uintptr(fd), path), nil
}

// Requests for the size of a disk (sys/disk.h).
const (
	getBlockSize  = 0x40046418 // DKIOCGETBLOCKSIZE, of 4 bytes
	getBlockCount = 0x40086419 // DKIOCGETBLOCKCOUNT, of 8
)

// extentOf is the size of a device and the smallest block that it takes.
func extentOf(file *os.File) (size, block unit.Bytes, err error) {
	each, sizeErr := unix.IoctlGetInt(int(file.Fd()), getBlockSize)
	count, countErr := unix.IoctlGetInt(int(file.Fd()), getBlockCount)
	if err := errors.Join(sizeErr, countErr); err != nil {
		return 0, 0, err
	}
	if each <= 0 || count <= 0 {
		return 0, 0, errors.New("it has no size: there is no medium in it")
	}
	return unit.Bytes(each) * unit.Bytes(count), unit.Bytes(each), nil
}

// sectorOf is not known of files here: F_NOCACHE takes any.
func sectorOf(*os.File) unit.Bytes { return 1 }

// statisticsOf is the path of a file, whose device is looked for when it is asked.
func statisticsOf(file *os.File) string { return file.Name() }

// counters returns the counters of a device since it was attached, as of some seconds ago.
func counters(statistics string) (Counters, bool) {
	if statistics == "" {
		return Counters{}, false
	}
	traffic, ok := survey.Traffic(statistics)
	return Counters{Read: unit.Bytes(traffic.Read), Written: unit.Bytes(traffic.Written), Waited: traffic.Waited}, ok
}
