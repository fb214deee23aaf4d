//go:build darwin || freebsd

package target

import (
	"errors"
	"os"
	"runtime"

	"opengauge/core/clock"
)

// nativeMissing says why there is no native queue.
func nativeMissing() error {
	return errors.New("there is no native queue on " + runtime.GOOS + " that the program knows; use --queue threads")
}

// newNative says that this system has none that the program knows.
func newNative(*os.File, clock.Clock, Shape) (Queue, error) {
	return nil, nativeMissing()
}
