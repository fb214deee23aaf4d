//go:build darwin || freebsd

package target

import (
	"os"

	"golang.org/x/sys/unix"
)

// callsAtOnce says that positioned calls of several threads on one file run at once.
const callsAtOnce = true

// apart gives a file for a thread of its own: the same one.
func apart(file *os.File) (*os.File, error) { return file, nil }

// readAt is one positioned read by its system call, whatever that returns.
func readAt(_ *os.File, fd int, buffer []byte, offset int64) (int, error) {
	return unix.Pread(fd, buffer, offset)
}

// writeAt is one positioned write by its system call, complete only on stable media if it is durable.
func writeAt(file *os.File, fd int, buffer []byte, offset int64, durable bool) (int, error) {
	moved, err := unix.Pwrite(fd, buffer, offset)
	if err == nil && durable {
		err = file.Sync()
	}
	return moved, err
}
