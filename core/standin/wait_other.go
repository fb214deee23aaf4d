//go:build !linux

package standin

import (
	"time"
)

func sleep(stretch time.Duration) { time.Sleep(stretch) }
