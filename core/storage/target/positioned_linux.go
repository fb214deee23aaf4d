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

// writeThrough writes in one call that is over once the data are on stable media. Kernels before 4.7, and
// their imitations, may not know that call; then it is two.
func writeThrough(fd int, buffer []byte, offset int64) (int, error) {
	moved, err := unix.Pwritev2(fd, [][]byte{buffer}, offset, unix.RWF_DSYNC)
	if err != unix.ENOSYS && err != unix.EOPNOTSUPP {
		return moved, err
	}
	if moved, err = unix.Pwrite(fd, buffer, offset); err != nil {
		return moved, err
	}
	return moved, unix.Fdatasync(fd)
}

// writeAt is one positioned write by its system call, complete only on stable
// media if it is durable.
func writeAt(_ *os.File, fd int, buffer []byte, offset int64, durable bool) (int, error) {
	if durable {
		return writeThrough(fd, buffer, offset)
	}
	return unix.Pwrite(fd, buffer, offset)
}
