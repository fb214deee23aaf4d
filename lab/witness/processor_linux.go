package witness

import (
	"runtime"
	"time"

	"golang.org/x/sys/unix"
)

// ProcessorTime returns the processor time that a function takes on its thread, whatever else
// the machine does (clock_gettime(2), CLOCK_THREAD_CPUTIME_ID).
func ProcessorTime(do func()) time.Duration {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	before := threadTime()
	do()
	return threadTime() - before
}

func threadTime() time.Duration {
	var now unix.Timespec
	if err := unix.ClockGettime(unix.CLOCK_THREAD_CPUTIME_ID, &now); err != nil {
		return 0
	}
	return time.Duration(now.Nano())
}
