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

// Forget is not there on this system.
func Forget(string) error { return errors.ErrUnsupported }

// Reserve sets the file's size; the space itself is taken by filling it.
func Reserve(file *os.File, size int64) error { return file.Truncate(size) }
