package target

import (
	"os"

	"golang.org/x/sys/unix"
)

// readAt is one positioned read by its system call.
func readAt(_ *os.File, fd int, buffer []byte, offset int64) (int, error) {
	for {
		if moved, err := unix.Pread(fd, buffer, offset); err != unix.EINTR {
			return moved, err
		}
	}
}

// writeAt is one positioned write by its system call, complete only on stable
// media if it is durable.
func writeAt(_ *os.File, fd int, buffer []byte, offset int64, durable bool) (int, error) {
	for {
		var moved int
		var err error
		if durable {
			moved, err = unix.Pwritev2(fd, [][]byte{buffer}, offset, unix.RWF_DSYNC)
		} else {
			moved, err = unix.Pwrite(fd, buffer, offset)
		}
		if err != unix.EINTR {
			return moved, err
		}
	}
}
