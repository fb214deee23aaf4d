//go:build !windows

package clock

import "time"

// Clock counts from when it was started.
type Clock struct{ started time.Time }

// Start gives a clock that is at 0.
func Start() Clock { return Clock{time.Now()} }

// Now is the time since the clock was started, on the machine's monotonic clock.
func (c Clock) Now() time.Duration { return time.Since(c.started) }
