package target

import (
	"errors"
	"fmt"
	"syscall"
)

// ShortError reports that an operation moved less than it was asked to, whatever carried it. It did not do
// its work, so it is an error as any other.
type ShortError struct {
	Moved, Asked int
}

func (e *ShortError) Error() string {
	return fmt.Sprintf("short result: %d of %d bytes were moved", e.Moved, e.Asked)
}

// IsTransient reports whether an error means only that a call was interrupted, or would have had to wait:
// callers ask again, and count it.
func IsTransient(err error) bool {
	return errors.Is(err, syscall.EINTR) || errors.Is(err, syscall.EAGAIN)
}

// checkMoved is the error of an operation that moved so many of the bytes asked for.
func checkMoved(moved, asked int, err error) error {
	if err == nil && moved != asked {
		return &ShortError{moved, asked}
	}
	return err
}
