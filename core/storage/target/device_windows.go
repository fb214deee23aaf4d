package target

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"regexp"
	"strings"

	"golang.org/x/sys/windows"

	system "opengauge/core/bench/windows"
	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// devicePaths matches the paths of disks, volumes and letters as devices.
var devicePaths = regexp.MustCompile(`(?i)^\\\\[.?]\\(physicaldrive\d+|[a-z]:|volume\{[0-9a-f-]+\})$`)

// isDevice reports whether a path is a device's. Such paths are not asked for as files, which they do not
// answer as.
func isDevice(path string, _ fs.FileInfo) bool { return devicePaths.MatchString(path) }

// systemHome is the folder that the system runs from.
func systemHome() string {
	folder, err := windows.GetSystemWindowsDirectory()
	if err != nil {
		return `C:\Windows`
	}
	return folder
}

// openRaw opens a device past the cache.
func openRaw(path string, flags int) (*os.File, error) { return direct.Reopen(path, flags, true) }

// claimRaw opens a device that nobody else has open: the system refuses that else. The
// claim is then let go of, as the queue opens the device itself, and kept as one that
// others can read beside.
func claimRaw(path string) (*os.File, error) {
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return nil, err
	}
	const access = windows.GENERIC_READ | windows.GENERIC_WRITE
	alone, err := windows.CreateFile(name, access, 0, nil, windows.OPEN_EXISTING, 0, 0)
	if err != nil {
		return nil, err
	}
	if err := windows.CloseHandle(alone); err != nil {
		return nil, err
	}
	return openRaw(path, os.O_RDONLY)
}

// extentOf is the size of a device and the smallest block that it takes. A device that does
// not say its size is read to find its end.
func extentOf(file *os.File) (size, block unit.Bytes, err error) {
	length, ok := system.LengthOf(system.Here(), file.Name())
	if !ok {
		length, err = lengthByReading(file)
	}
	return unit.Bytes(length), sectorOf(file), err
}

// sectorOf is the smallest block of a device, or of the one that a file is on.
func sectorOf(file *os.File) unit.Bytes {
	path := file.Name()
	if !isDevice(path, nil) {
		volume, _, err := system.VolumeOf(path)
		if err != nil {
			return 1
		}
		path = strings.TrimSuffix(volume, `\`)
	}
	return unit.Bytes(max(system.SectorOf(system.Here(), path), 1))
}

// statisticsOf is the device of the volume that a file is on.
func statisticsOf(file *os.File) string {
	volume, _, err := system.VolumeOf(file.Name())
	if err != nil {
		return ""
	}
	return strings.TrimSuffix(volume, `\`)
}

// counters returns the counters of a device since the system started.
func counters(statistics string) (Counters, bool) {
	if statistics == "" {
		return Counters{}, false
	}
	traffic, ok := system.TrafficOf(system.Here(), statistics)
	return Counters{Read: unit.Bytes(traffic.Read), Written: unit.Bytes(traffic.Written),
		Waited: traffic.Waited}, ok
}

// lengthByReading finds the end of a device by reading: first a place behind it, then the
// last block before it.
func lengthByReading(file *os.File) (int64, error) {
	buffer := direct.Buffer(int(probeSize))
	step := int64(probeSize)
	reads := func(at int64) (bool, error) {
		moved, err := direct.ReadAt(file, buffer, at*step)
		if err == nil || errors.Is(err, io.EOF) || moved == 0 {
			return err == nil && moved == len(buffer), nil
		}
		return false, err
	}
	if there, err := reads(0); err != nil || !there {
		return 0, errors.Join(err, errors.New("it cannot be read"))
	}
	low, high := int64(0), int64(1)
	for ; high < 1<<40; high *= 2 {
		there, err := reads(high)
		if err != nil {
			return 0, err
		}
		if !there {
			break
		}
		low = high
	}
	for high-low > 1 {
		there, err := reads((low + high) / 2)
		if err != nil {
			return 0, err
		}
		if there {
			low = (low + high) / 2
		} else {
			high = (low + high) / 2
		}
	}
	return high * step, nil
}
