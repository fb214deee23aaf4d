package clock

import (
	"syscall"
	"time"
	"unsafe"

	"golang.org/x/sys/windows"
)

// Clock counts from when it was started. It reads the system's performance counter: the
// clock that Go's own times are made of moves in steps of up to 15 ms here.
type Clock struct{ started int64 }

var (
	kernel        = windows.NewLazySystemDLL("kernel32.dll")
	queryCounter  = kernel.NewProc("QueryPerformanceCounter")
	ticksEach     = frequency()
	counterCalled = queryCounter.Addr()
)

// frequency is how often the counter ticks in a second; it never changes while the
// system runs.
func frequency() int64 {
	ticks := int64(0)
	_, _, _ = kernel.NewProc("QueryPerformanceFrequency").Call(uintptr(unsafe.Pointer(&ticks)))
	return max(ticks, 1)
}

func ticks() int64 {
	count := int64(0)
	_, _, _ = syscall.SyscallN(counterCalled, uintptr(unsafe.Pointer(&count)))
	return count
}

// Start gives a clock that is at 0.
func Start() Clock { return Clock{ticks()} }

// Now is the time since the clock was started.
func (c Clock) Now() time.Duration {
	passed := ticks() - c.started
	seconds, rest := passed/ticksEach, passed%ticksEach
	return time.Duration(seconds)*time.Second + time.Duration(rest*int64(time.Second)/ticksEach)
}
