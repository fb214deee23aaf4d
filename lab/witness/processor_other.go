//go:build !linux

package witness

import "time"

// ProcessorTime returns how long a function takes; this system's threads are not asked.
func ProcessorTime(do func()) time.Duration {
	began := time.Now()
	do()
	return time.Since(began)
}
