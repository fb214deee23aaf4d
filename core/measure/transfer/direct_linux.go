package transfer

import (
	"errors"
	"os"
	"path/filepath"

	"golang.org/x/sys/unix"
)

func openDirect(path string) (*os.File, bool, error) {
	file, err := os.OpenFile(path, os.O_RDONLY|unix.O_DIRECT, 0)
	if !errors.Is(err, unix.EINVAL) {
		return file, err == nil, err
	}
	file, err = os.Open(path)
	return file, false, err
}

func createDirect(path string) (*os.File, bool, error) {
	const flags = os.O_RDWR | os.O_CREATE | os.O_EXCL
	file, err := os.OpenFile(path, flags|unix.O_DIRECT, 0o644)
	if !errors.Is(err, unix.EINVAL) {
		return file, err == nil, err
	}
	_ = os.Remove(path) // some file systems refuse only after the entry was made
	file, err = os.OpenFile(path, flags, 0o644)
	return file, false, err
}

// reserveFile takes a file's space beforehand, where the file system can.
func reserveFile(file *os.File, size int64) error {
	err := unix.Fallocate(int(file.Fd()), 0, 0, size)
	if errors.Is(err, unix.EOPNOTSUPP) || errors.Is(err, unix.ENOSYS) {
		return nil
	}
	return err
}

// flushFolder puts all that was written to the file system of a folder on stable
// media.
func flushFolder(path string) error {
	folder, err := os.Open(path)
	if err != nil {
		return err
	}
	defer folder.Close()
	return unix.Syncfs(int(folder.Fd()))
}

// beginWriting lets the system begin to write what it has cached of a file, and does
// not wait for it.
func beginWriting(file *os.File) {
	_ = unix.SyncFileRange(int(file.Fd()), 0, 0, unix.SYNC_FILE_RANGE_WRITE)
}

// dropFile forgets what the system has cached of a file.
func dropFile(path string) error {
	file, err := os.Open(filepath.Clean(path))
	if err != nil {
		return err
	}
	defer file.Close()
	return unix.Fadvise(int(file.Fd()), 0, 0, unix.FADV_DONTNEED)
}
