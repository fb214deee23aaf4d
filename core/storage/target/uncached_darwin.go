package target

import (
	"os"

	"golang.org/x/sys/unix"
)

// createUncached makes a new file whose reads and writes bypass the cache.
func createUncached(path string) (file *os.File, direct bool, err error) {
	file, err = os.OpenFile(path, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	return bypass(file, err)
}

// openUncached opens an existing file to read it past the cache.
func openUncached(path string) (file *os.File, direct bool, err error) {
	return bypass(os.Open(path))
}

func bypass(file *os.File, err error) (*os.File, bool, error) {
	if err != nil {
		return nil, false, err
	}
	_, refused := unix.FcntlInt(file.Fd(), unix.F_NOCACHE, 1)
	return file, refused == nil, nil
}

// dropCache does what this system offers: it writes back. Pages stay cached.
func dropCache(file *os.File) error { return file.Sync() }

// reserve sets the file's size; the space itself is taken by filling it.
func (k *kernelFile) reserve() error { return k.file.Truncate(int64(k.description.Span)) }

// reopenUncached opens a file that was open before, in the same way.
func reopenUncached(path string, flags int, _ bool) (*os.File, error) {
	file, _, err := bypass(os.OpenFile(path, flags, 0))
	return file, err
}
