package bell

import (
	"sync/atomic"
	"time"
	"unsafe"

	"golang.org/x/sys/unix"
)

// Bell is an event descriptor, which is written to only while somebody waits.
type Bell struct {
	fd      int
	waiting atomic.Bool
	rung    atomic.Bool
}

// New gives a bell.
func New() (*Bell, error) {
	fd, err := unix.Eventfd(0, unix.EFD_CLOEXEC|unix.EFD_NONBLOCK)
	if err != nil {
		return nil, err
	}
	Precise()
	return &Bell{fd: fd}, nil
}

// Ring ends the wait of now, or the next one at once.
func (b *Bell) Ring() {
	if b.rung.Swap(true) || !b.waiting.Load() {
		return
	}
	one := [8]byte{1}
	_, _ = unix.Write(b.fd, one[:])
}

// Wait waits until the bell rings, or for that long.
func (b *Bell) Wait(stretch time.Duration) {
	b.waiting.Store(true)
	defer b.waiting.Store(false)
	if b.rung.Swap(false) || stretch <= 0 {
		return
	}
	timeout := unix.NsecToTimespec(int64(stretch))
	polled := []unix.PollFd{{Fd: int32(b.fd), Events: unix.POLLIN}}
	if ready, _ := unix.Ppoll(polled, &timeout, nil); ready > 0 {
		var count [8]byte
		_, _ = unix.Read(b.fd, count[:])
	}
	b.rung.Store(false)
}

// Close gives the descriptor back. Nobody may ring any more.
func (b *Bell) Close() { _ = unix.Close(b.fd) }

// Precise lets the timers of the calling thread end when they are due: the kernel may
// put them off by 50 microseconds otherwise, to wake up less often (prctl(2),
// PR_SET_TIMERSLACK).
func Precise() { _ = unix.Prctl(unix.PR_SET_TIMERSLACK, 1, 0, 0, 0) }

// Sleep lets the calling thread sleep, without the detour over timers that the Go
// runtime makes, which is up to a millisecond late.
func Sleep(stretch time.Duration) {
	if stretch <= 0 {
		return
	}
	timeout := unix.NsecToTimespec(int64(stretch))
	_, _, _ = unix.Syscall6(unix.SYS_CLOCK_NANOSLEEP, unix.CLOCK_MONOTONIC, 0, uintptr(unsafe.Pointer(&timeout)), 0,
		0, 0)
}
