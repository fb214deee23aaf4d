package standin

import (
	"os"
	"time"

	"golang.org/x/sys/unix"
)

// timers holds kernel timers that nobody waits for now.
var timers = make(chan *timer, 256)

// timer is one of the kernel's. It is waited for as a connection is, so that no
// thread is held meanwhile, however many requests wait.
type timer struct {
	file *os.File
	fd   int
}

func newTimer() (*timer, error) {
	fd, err := unix.TimerfdCreate(unix.CLOCK_MONOTONIC, unix.TFD_NONBLOCK|unix.TFD_CLOEXEC)
	if err != nil {
		return nil, err
	}
	return &timer{os.NewFile(uintptr(fd), "timer"), fd}, nil
}

// sleep waits to within some tens of microseconds: the runtime's own timers are
// rounded up to a millisecond where nothing else is going on.
func sleep(stretch time.Duration) {
	var each *timer
	select {
	case each = <-timers:
	default:
		made, err := newTimer()
		if err != nil { // out of descriptors
			time.Sleep(stretch)
			return
		}
		each = made
	}
	each.wait(stretch)
	select {
	case timers <- each:
	default:
		_ = each.file.Close()
	}
}

func (t *timer) wait(stretch time.Duration) {
	setting := unix.ItimerSpec{Value: unix.NsecToTimespec(int64(stretch))}
	began := time.Now()
	if err := unix.TimerfdSettime(t.fd, 0, &setting, nil); err == nil {
		var expirations [8]byte
		_, _ = t.file.Read(expirations[:])
	}
	time.Sleep(stretch - time.Since(began)) // nothing is left of it, unless the timer failed
}
