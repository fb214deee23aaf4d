//go:build linux

package witness

import (
	"syscall"
	"testing"
	"time"
)

// Slow is a folder that counts; its library does not build for 32-bit ARM.
type Slow struct{ Folder string }

// Mount skips the test.
func Mount(tb testing.TB, _ time.Duration) *Slow {
	tb.Helper()
	tb.Skip("the library for file systems in user space does not build for 32-bit ARM")
	return nil
}

// Peak is of no folder.
func (*Slow) Peak() (peak, operations int) { return 0, 0 }

// HoldTime is of no folder.
func (*Slow) HoldTime() time.Duration { return 0 }

// Flushes is of no folder.
func (*Slow) Flushes() int { return 0 }

// Hold is of no folder.
func (*Slow) Hold(time.Duration) {}

// Fail is of no folder.
func (*Slow) Fail(syscall.Errno) {}

// Spoil is of no folder.
func (*Slow) Spoil(int, syscall.Errno) {}

// Spoiled is of no folder.
func (*Slow) Spoiled() int { return 0 }

// Contents is of no folder.
func (*Slow) Contents() []byte { return nil }
