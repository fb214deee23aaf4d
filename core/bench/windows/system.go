// Package windows is what Windows tells of its disks: what its drivers answer to control
// codes, and the properties of its tree of devices. It asks through one seam, [System],
// which this machine's calls, a capture and a recorder of captures implement, so that
// what a capture gives is what the machine gave.
//
// A system may be asked by several goroutines at once.
//
// Names of structures, fields, codes and properties are those of the Windows headers
// (winioctl.h, ntddstor.h, usbioctl.h, nvme.h, devpkey.h, pciprop.h); a test compares
// them with headers that somebody else wrote.
package windows

import (
	"errors"
	"fmt"
	"strconv"
)

// System is a Windows machine, or what was recorded of one. What it gives is only read,
// and may be asked for by several goroutines at once.
type System interface {
	// Query sends a control code to the device that a path opens, and gives what it
	// answers, of most bytes.
	Query(path string, code uint32, input []byte, most int) ([]byte, error)
	// Property gives a property of a device by the name of its instance, as it is kept.
	Property(instance string, key Key) ([]byte, error)
	// List gives names.
	List(what Listing, of string) ([]string, error)
}

// Listing is what names are asked for.
type Listing string

// What a system lists.
const (
	// Interfaces are the paths of the devices of a class, which is named by its GUID.
	Interfaces Listing = "interfaces"
	// Instance is the one name in the tree of devices of the device behind a path.
	Instance Listing = "instance"
	// Volumes are the paths of all volumes.
	Volumes Listing = "volumes"
	// Places are the letters and folders at which a volume is mounted.
	Places Listing = "places"
	// FileSystem is the one name of the file system of a volume.
	FileSystem Listing = "file system"
	// SystemFolder is the one folder that the system runs from.
	SystemFolder Listing = "system folder"
)

// Code is the number of an error of the system (winerror.h).
type Code uint32

// The errors that a survey tells apart.
const (
	CodeNotFound     Code = 2
	CodeDenied       Code = 5
	CodeNotSupported Code = 50
)

func (c Code) Error() string {
	switch c {
	case CodeNotFound:
		return "there is no such device"
	case CodeDenied:
		return "access is denied"
	case CodeNotSupported:
		return "the request is not supported"
	}
	return "error " + strconv.FormatUint(uint64(c), 10)
}

// Denied says whether an error is that of missing rights.
func Denied(err error) bool { return errors.Is(err, CodeDenied) }

// Key names a property of a device (DEVPROPKEY).
type Key struct {
	// Category is a GUID with braces.
	Category string
	Number   uint32
}

func (k Key) String() string { return fmt.Sprintf("%s %d", k.Category, k.Number) }
