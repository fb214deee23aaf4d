// Package clock is the clock that everything which is measured is stamped by: the finest
// that the system has, counting from when it was started.
//
// A clock may be read by any goroutine.
package clock

import (
	"sync"
	"time"
)

// Step is the smallest difference between two readings that differ, found by reading: a
// latency shorter than that cannot be told. It is looked for once.
func Step() time.Duration { return step() }

var step = sync.OnceValue(findStep)

func findStep() time.Duration {
	c := Start()
	least, last := time.Duration(0), c.Now()
	const readings, longest = 20_000, 100 * time.Millisecond
	for i := 0; i < readings && last < longest; i++ {
		now := c.Now()
		if apart := now - last; apart > 0 && (least == 0 || apart < least) {
			least = apart
		}
		last = now
	}
	if least == 0 {
		return longest
	}
	return least
}
