package direct

import (
	"errors"
	"io/fs"
	"os"

	"golang.org/x/sys/unix"
)

// pageSize is that of Apple's own processors; on others a page divides it.
const pageSize = 16384

// Create makes a new file whose reads and writes bypass the cache.
func Create(path string, permissions fs.FileMode) (file *os.File, direct bool, err error) {
	return bypass(os.OpenFile(path, os.O_RDWR|os.O_CREATE|os.O_EXCL, permissions))
}

// Open opens an existing file to read it past the cache.
func Open(path string) (file *os.File, direct bool, err error) { return bypass(os.Open(path)) }

func bypass(file *os.File, err error) (*os.File, bool, error) {
	if err != nil {
		return nil, false, err
	}
	_, refused := unix.FcntlInt(file.Fd(), unix.F_NOCACHE, 1)
	return file, refused == nil, nil
}

// Reopen opens a file that was open before, with flags of os.OpenFile.
func Reopen(path string, flags int, _ bool) (*os.File, error) {
	file, _, err := bypass(os.OpenFile(path, flags, 0))
	return file, err
}

// Drop does what this system offers: it writes back. Pages stay cached.
func Drop(file *os.File) error { return file.Sync() }

// Forgets says that [Forget] does not work here.
const Forgets = false

// ReadAt reads at an offset; at the end of the file it gives what there is, and io.EOF.
func ReadAt(file *os.File, into []byte, offset int64) (int, error) { return file.ReadAt(into, offset) }

// Flusher is the call that puts what was written on stable media. It is not whole on
// file systems that refuse the full one: theirs ends when the drive has the data, which
// may still be in the drive's cache (fcntl(2), F_FULLFSYNC).
func Flusher(file *os.File) (call string, whole bool) {
	if _, err := unix.FcntlInt(file.Fd(), unix.F_FULLFSYNC, 0); err != nil {
		return "fsync", false
	}
	return "F_FULLFSYNC", true
}

// Forget is not there on this system.
func Forget(string) error { return errors.ErrUnsupported }

// Reserve sets the file's size; the space itself is taken by filling it.
func Reserve(file *os.File, size int64) error { return file.Truncate(size) }
