package fault

import (
	"errors"
	"syscall"
)

const denied = "permission is denied; choose a folder you may write to, or run the terminal as an administrator, " +
	"which a device takes"

// native is what an error number of this system says.
func native(err error) Kind {
	var number syscall.Errno
	if !errors.As(err, &number) {
		return None
	}
	return ofWindows(uint32(number))
}
