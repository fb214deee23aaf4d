//go:build darwin || freebsd

package target

import (
	"errors"
	"os"
	"runtime"

	"opengauge/core/clock"
)

// newNative says that this system has none that the program knows.
func newNative(*os.File, clock.Clock, Shape) (Queue, error) {
	return nil, errors.New("there is no native queue on " + runtime.GOOS + " yet; use --queue threads")
}
