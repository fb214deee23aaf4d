//go:build !linux

package bell

import "time"

// Bell is a channel with a place for one signal.
type Bell struct {
	rung  chan struct{}
	timer *time.Timer
}

// New gives a bell.
func New() (*Bell, error) {
	return &Bell{rung: make(chan struct{}, 1), timer: time.NewTimer(time.Hour)}, nil
}

// Ring ends the wait of now, or the next one at once.
func (b *Bell) Ring() {
	select {
	case b.rung <- struct{}{}:
	default:
	}
}

// Wait waits until the bell rings, or for that long.
func (b *Bell) Wait(stretch time.Duration) {
	b.timer.Reset(stretch)
	select {
	case <-b.rung:
	case <-b.timer.C:
	}
}

// Close gives the timer back.
func (b *Bell) Close() { b.timer.Stop() }

// Precise is left to this system.
func Precise() {}

// Sleep lets the calling goroutine sleep.
func Sleep(stretch time.Duration) { time.Sleep(stretch) }
