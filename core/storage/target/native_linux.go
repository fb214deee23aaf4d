package target

import (
	"os"
	"time"
)

// newNative opens this system's native queue.
func newNative(file *os.File, epoch time.Time, shape Shape) (Queue, error) {
	ring, err := newURing(file, epoch, shape)
	if err != nil {
		return nil, err
	}
	return ring, nil
}
