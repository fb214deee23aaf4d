//go:build unix

package target

import (
	"time"

	"golang.org/x/sys/unix"
)

// ProcessorTime returns the processor time of this process so far, in user and kernel mode.
func ProcessorTime() time.Duration {
	var usage unix.Rusage
	if err := unix.Getrusage(unix.RUSAGE_SELF, &usage); err != nil {
		return 0
	}
	return time.Duration(usage.Utime.Nano() + usage.Stime.Nano())
}
