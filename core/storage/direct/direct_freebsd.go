package direct

import (
	"errors"
	"io/fs"
	"os"

	"golang.org/x/sys/unix"
)

const pageSize = 4096

// Create makes a new file whose reads and writes bypass the cache (open(2), O_DIRECT).
func Create(path string, permissions fs.FileMode) (file *os.File, direct bool, err error) {
	file, err = os.OpenFile(path, os.O_RDWR|os.O_CREATE|os.O_EXCL|unix.O_DIRECT, permissions)
	return file, err == nil, err
}

// Open opens an existing file to read it past the cache.
func Open(path string) (file *os.File, direct bool, err error) {
	file, err = os.OpenFile(path, os.O_RDONLY|unix.O_DIRECT, 0)
	return file, err == nil, err
}

// Reopen opens a file that was open before, with flags of os.OpenFile.
func Reopen(path string, flags int, _ bool) (*os.File, error) {
	return os.OpenFile(path, flags|unix.O_DIRECT, 0)
}

// Drop does what this system offers: it writes back. Pages stay cached.
func Drop(file *os.File) error { return file.Sync() }

// Forgets says that [Forget] does not work here.
const Forgets = false

// ReadAt reads at an offset; at the end of the file it gives what there is, and io.EOF.
func ReadAt(file *os.File, into []byte, offset int64) (int, error) { return file.ReadAt(into, offset) }

// Flusher is the call that puts what was written on stable media.
func Flusher(*os.File) (call string, whole bool) { return "fsync", true }

// Forget is not there on this system.
func Forget(string) error { return errors.ErrUnsupported }

// Reserve sets the file's size; the space itself is taken by filling it.
func Reserve(file *os.File, size int64) error { return file.Truncate(size) }
