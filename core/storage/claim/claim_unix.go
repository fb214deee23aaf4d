//go:build unix

package claim

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// File claims an open file (flock(2)), or gives [ErrHeld].
func File(file *os.File) error {
	err := unix.Flock(int(file.Fd()), unix.LOCK_EX|unix.LOCK_NB)
	if errors.Is(err, unix.EWOULDBLOCK) {
		return ErrHeld
	}
	return err
}
