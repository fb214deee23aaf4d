//go:build !linux

package nbd

import "time"

// RoundTrip is not told by this system.
func (q *queue) RoundTrip() (time.Duration, bool) { return 0, false }
