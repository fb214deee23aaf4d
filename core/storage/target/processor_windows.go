package target

import (
	"time"

	"golang.org/x/sys/windows"
)

// ProcessorTime returns the processor time of this process so far, in user and kernel mode.
func ProcessorTime() time.Duration {
	var created, exited, kernel, user windows.Filetime
	if err := windows.GetProcessTimes(windows.CurrentProcess(), &created, &exited, &kernel, &user); err != nil {
		return 0
	}
	ticks := int64(kernel.HighDateTime)<<32 + int64(kernel.LowDateTime) + int64(user.HighDateTime)<<32 +
		int64(user.LowDateTime)
	return time.Duration(ticks) * 100
}
