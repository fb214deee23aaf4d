package standin

import (
	"time"

	"golang.org/x/sys/unix"
)

// sleep waits to within some tens of microseconds: the runtime's own timers are
// rounded up to a millisecond where nothing else is going on.
func sleep(stretch time.Duration) {
	const coarse = 2 * time.Millisecond
	if stretch > 2*coarse {
		began := time.Now()
		time.Sleep(stretch - coarse)
		stretch -= time.Since(began)
	}
	if stretch > 0 {
		rest := unix.NsecToTimespec(int64(stretch))
		_ = unix.Nanosleep(&rest, nil)
	}
}
