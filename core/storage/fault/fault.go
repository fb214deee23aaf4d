// Package fault tells what is wrong with storage by the errors of any system: that it is
// full, gone, read-only, denied or busy, and what people can do about it. It only reads
// its tables, for any goroutine.
package fault

import (
	"errors"
	"io/fs"
	"syscall"
)

// Kind is what is wrong.
type Kind string

// The kinds of faults. None is anything else.
const (
	None     Kind = ""
	Absent   Kind = "absent"
	Full     Kind = "full"
	Gone     Kind = "gone"
	ReadOnly Kind = "read-only"
	Denied   Kind = "denied"
	Busy     Kind = "busy"
	Exists   Kind = "exists"
	// Failed says that the device answered that it could not: a sector, say.
	Failed Kind = "failed"
	// Invalid says that the system does not take such a request.
	Invalid Kind = "invalid"
)

// portable are the errors that every system's Go knows, invented ones among them.
var portable = []struct {
	error
	Kind
}{
	{syscall.ENOSPC, Full}, {syscall.EDQUOT, Full}, {syscall.ENODEV, Gone}, {syscall.ENXIO, Gone},
	{syscall.EROFS, ReadOnly}, {syscall.EBUSY, Busy}, {syscall.ETXTBSY, Busy}, {syscall.EIO, Failed},
	{syscall.EINVAL, Invalid}, {fs.ErrNotExist, Absent}, {fs.ErrPermission, Denied}, {fs.ErrExist, Exists},
}

// Of gives what an error says of storage.
func Of(err error) Kind {
	if err == nil {
		return None
	}
	if kind := native(err); kind != None {
		return kind
	}
	for _, each := range portable {
		if errors.Is(err, each.error) {
			return each.Kind
		}
	}
	return None
}

// Advice says what to do about a fault, or nothing.
func Advice(kind Kind) string {
	switch kind {
	case Absent:
		return "there is no such folder or file; check the spelling, or create it"
	case Denied:
		return denied
	case ReadOnly:
		return "the file system is mounted read-only, or the medium is write-protected; mount it for writing, or " +
			"measure a file on it with --plan quick-read"
	case Full:
		return "no space is left; give a smaller --size or free some space"
	case Exists:
		return "a file of that name is there already; remove it if no other run is using it"
	case Busy:
		return "another program has it open; close that one, and repeat"
	case Gone:
		return "the device is not there any more; look at its cable and its power"
	}
	return ""
}
