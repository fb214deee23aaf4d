package target

import (
	"errors"
	"fmt"
	"os"
	"runtime"

	"opengauge/core/clock"
)

// nativeMissing says why there is no native queue: a system or a container may refuse it.
func nativeMissing() error {
	runtime.LockOSThread() // a ring is closed by the thread that opened it
	defer runtime.UnlockOSThread()
	null, err := os.Open(os.DevNull)
	if err != nil {
		return err
	}
	defer null.Close()
	opened, err := newURing(null, clock.Start(), Shape{Slots: 1, Block: 4096})
	if err != nil {
		return fmt.Errorf("the native queue (io_uring) is refused here: %w; use --queue threads", err)
	}
	return errors.Join(opened.Close())
}

// newNative opens this system's native queue.
func newNative(file *os.File, at clock.Clock, shape Shape) (Queue, error) {
	ring, err := newURing(file, at, shape)
	if err != nil {
		return nil, err
	}
	return ring, nil
}
