package target

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// createUncached makes a new file for direct I/O, or without where the file
// system does not know it; direct says which.
func createUncached(path string) (file *os.File, direct bool, err error) {
	const flags = os.O_RDWR | os.O_CREATE | os.O_EXCL
	file, err = os.OpenFile(path, flags|unix.O_DIRECT, 0o600)
	if !errors.Is(err, unix.EINVAL) {
		return file, err == nil, err
	}
	// Some file systems refuse the flag only after the entry was made.
	_ = os.Remove(path)
	file, err = os.OpenFile(path, flags, 0o600)
	return file, false, err
}

// openUncached opens an existing file to read it, as createUncached does.
func openUncached(path string) (file *os.File, direct bool, err error) {
	file, err = os.OpenFile(path, os.O_RDONLY|unix.O_DIRECT, 0)
	if !errors.Is(err, unix.EINVAL) {
		return file, err == nil, err
	}
	file, err = os.Open(path)
	return file, false, err
}

// dropCache writes back and forgets what the system has cached of a file.
func dropCache(file *os.File) error {
	if err := file.Sync(); err != nil && !errors.Is(err, unix.EINVAL) && !errors.Is(err, unix.EROFS) {
		return err
	}
	return unix.Fadvise(int(file.Fd()), 0, 0, unix.FADV_DONTNEED)
}

// reserve takes the file's space, so that a full file system shows before
// anything is measured.
func (k *kernelFile) reserve() error {
	err := unix.Fallocate(int(k.file.Fd()), 0, 0, int64(k.description.Span))
	if errors.Is(err, unix.EOPNOTSUPP) || errors.Is(err, unix.ENOSYS) {
		return k.file.Truncate(int64(k.description.Span))
	}
	return err
}

// reopenUncached opens a file that was open before, in the same way.
func reopenUncached(path string, flags int, direct bool) (*os.File, error) {
	if direct {
		flags |= unix.O_DIRECT
	}
	return os.OpenFile(path, flags, 0)
}
