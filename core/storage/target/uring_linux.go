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
	// watched is how often it was looked at how the kernel carries operations, and
	// inline how often it carried them in the call that handed them over.
	watched, inline int
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

const (
	// lingers is how long handing an operation over takes at the least where the
	// kernel carries it in that call, and it is slow enough for that to matter. From
	// certainly on, no pause of the thread looks like that.
	lingers, certainly = 100 * time.Microsecond, 2 * time.Millisecond
	// looks is how often that is looked at, and believed how often it has to be so.
	looks, believed = 4, 2
)

// watch hands the first operations over without waiting for them. Some file systems
// carry them in that call: then no two would ever be under way at once, and they are
// left to threads of the kernel from then on.
func (u *uring) watch() error {
	handed, began := int(u.Queued()), time.Since(u.epoch)
	if err := u.Enter(0); err != nil || handed == 0 {
		return err
	}
	u.watched++
	each := (time.Since(u.epoch) - began) / time.Duration(handed)
	if u.Waiting() < handed || each < lingers {
		return nil
	}
	if u.inline++; u.inline == believed || each > certainly {
		u.Apart()
	}
	return nil
}

func (u *uring) Wait(done []Completion, until time.Duration) (int, error) {
	if u.watched < looks {
		if err := u.watch(); err != nil {
			return 0, err
		}
	}
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
