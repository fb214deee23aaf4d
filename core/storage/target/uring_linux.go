package target

import (
	"os"
	"time"

	"opengauge/core/storage/bell"
	"opengauge/core/storage/ring"
)

// uring is a queue on the kernel's own submission and completion rings. Everything
// that is submitted between two waits goes to the kernel in the one call that also
// waits.
//
// It must be used on the thread that opened it.
type uring struct {
	*ring.Ring
	epoch       time.Time
	submittedAt time.Duration
	submitted   []time.Duration
}

// newURing opens a ring for the file, or says why it cannot be had.
func newURing(file *os.File, epoch time.Time, shape Shape) (*uring, error) {
	bell.Precise()
	opened, err := ring.Open(file, shape.Slots, int(shape.Block))
	if err != nil {
		return nil, err
	}
	return &uring{Ring: opened, epoch: epoch, submitted: make([]time.Duration, shape.Slots)}, nil
}

func (u *uring) Name() string { return "io_uring" }

func (u *uring) Submit(operations []Operation) error {
	now := time.Since(u.epoch)
	for i := range operations {
		o := &operations[i]
		u.Push(ring.Operation{
			Slot: o.Slot, Write: o.Action == Write, Flush: o.Action == Flush, Offset: o.Offset, Length: o.Length,
			Data: o.Data, Durable: o.Durable,
		})
		u.submitted[o.Slot] = now
	}
	u.submittedAt = now
	return nil
}

func (u *uring) Wait(done []Completion, until time.Duration) (int, error) {
	now := u.submittedAt
	for ; ; now = time.Since(u.epoch) {
		if u.Queued() == 0 {
			if filled := u.reap(done); filled > 0 {
				return filled, nil
			}
			now = time.Since(u.epoch)
		}
		left := until - now
		if err := u.Enter(left); err != nil {
			return 0, err
		}
		if filled := u.reap(done); filled > 0 || left <= 0 {
			return filled, nil
		}
	}
}

// reap takes what is complete by now, all of it at one time.
func (u *uring) reap(done []Completion) int {
	waiting := min(u.Waiting(), len(done))
	if waiting == 0 {
		return 0
	}
	now := time.Since(u.epoch)
	for i := range waiting {
		slot, err := u.Pop()
		done[i] = Completion{Slot: slot, Submitted: u.submitted[slot], Completed: now, Err: err}
	}
	return waiting
}
