package direct

import (
	"errors"
	"io/fs"
	"os"

	"golang.org/x/sys/unix"
)

const pageSize = 4096

// Create makes a new file for direct I/O, or without where the file system does
// not know it; direct says which.
func Create(path string, permissions fs.FileMode) (file *os.File, direct bool, err error) {
	const flags = os.O_RDWR | os.O_CREATE | os.O_EXCL
	file, err = os.OpenFile(path, flags|unix.O_DIRECT, permissions)
	if !errors.Is(err, unix.EINVAL) {
		return file, err == nil, err
	}
	_ = os.Remove(path) // some file systems refuse the flag only after the entry was made
	file, err = os.OpenFile(path, flags, permissions)
	return file, false, err
}

// Open opens an existing file to read it, as [Create] does.
func Open(path string) (file *os.File, direct bool, err error) {
	file, err = os.OpenFile(path, os.O_RDONLY|unix.O_DIRECT, 0)
	if !errors.Is(err, unix.EINVAL) {
		return file, err == nil, err
	}
	file, err = os.Open(path)
	return file, false, err
}

// Reopen opens a file that was open before, with flags of os.OpenFile.
func Reopen(path string, flags int, direct bool) (*os.File, error) {
	if direct {
		flags |= unix.O_DIRECT
	}
	return os.OpenFile(path, flags, 0)
}

// Drop writes back and forgets what the system has cached of a file.
func Drop(file *os.File) error {
	if err := file.Sync(); err != nil && !errors.Is(err, unix.EINVAL) && !errors.Is(err, unix.EROFS) {
		return err
	}
	return unix.Fadvise(int(file.Fd()), 0, 0, unix.FADV_DONTNEED)
}

// Forgets says that [Forget] works here.
const Forgets = true

// ReadAt reads at an offset; at the end of the file it gives what there is, and io.EOF.
func ReadAt(file *os.File, into []byte, offset int64) (int, error) { return file.ReadAt(into, offset) }

// Flusher is the call that puts what was written on stable media.
func Flusher(*os.File) (call string, whole bool) { return "fsync", true }

// Forget forgets what the system has cached of a file that nobody has written to
// since it was flushed.
func Forget(path string) error {
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	return unix.Fadvise(int(file.Fd()), 0, 0, unix.FADV_DONTNEED)
}

// Reserve takes a file's space, so that a full file system shows before anything
// else is done. Where the file system cannot, the file gets its size alone.
func Reserve(file *os.File, size int64) error {
	err := unix.Fallocate(int(file.Fd()), 0, 0, size)
	if errors.Is(err, unix.EOPNOTSUPP) || errors.Is(err, unix.ENOSYS) {
		return file.Truncate(size)
	}
	return err
}

// FlushFolder puts all that was written to the file system of a folder on stable
// media.
func FlushFolder(path string) error {
	folder, err := os.Open(path)
	if err != nil {
		return err
	}
	defer folder.Close()
	return unix.Syncfs(int(folder.Fd()))
}

// BeginWriting lets the system begin to write what it has cached of a file, and does
// not wait for it.
func BeginWriting(file *os.File) {
	_ = unix.SyncFileRange(int(file.Fd()), 0, 0, unix.SYNC_FILE_RANGE_WRITE)
}
