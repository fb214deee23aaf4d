package target

import (
	"os"

	"opengauge/core/clock"
)

// newNative opens this system's native queue.
func newNative(file *os.File, at clock.Clock, shape Shape) (Queue, error) {
	ring, err := newURing(file, at, shape)
	if err != nil {
		return nil, err
	}
	return ring, nil
}
