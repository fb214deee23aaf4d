package target

import (
	"os"
	"time"

	"opengauge/core/clock"
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
	clock       clock.Clock
	submittedAt time.Duration
	submitted   []time.Duration
	asked       []int // bytes of the operation in each slot
	// watched is how often it was looked at how the kernel carries operations.
	watched int
	inline  inline
}

// newURing opens a ring for the file, or says why it cannot be had.
func newURing(file *os.File, at clock.Clock, shape Shape) (*uring, error) {
	bell.Precise()
	opened, err := ring.Open(file, shape.Slots, int(shape.Block))
	if err != nil {
		return nil, err
	}
	return &uring{Ring: opened, clock: at, submitted: make([]time.Duration, shape.Slots),
		asked: make([]int, shape.Slots)}, nil
}

func (u *uring) Name() string { return "io_uring" }

func (u *uring) Submit(operations []Operation) error {
	now := u.clock.Now()
	for i := range operations {
		o := &operations[i]
		u.Push(ring.Operation{
			Slot: o.Slot, Write: o.Action == Write, Flush: o.Action == Flush, Offset: o.Offset, Length: o.Length,
			Data: o.Data, Durable: o.Durable,
		})
		u.submitted[o.Slot] = now
		u.asked[o.Slot] = o.Length
		if o.Action == Flush {
			u.asked[o.Slot] = 0
		}
	}
	u.submittedAt = now
	return nil
}

// looks is how many batches are handed over apart from waiting for them, to see how the
// kernel carries them.
const looks = 4

// watch hands the first operations over without waiting for them. Some file systems
// carry them in that call: then no two would ever be under way at once, and they are
// left to threads of the kernel from then on.
func (u *uring) watch() error {
	handed, began := int(u.QueueLength()), u.clock.Now()
	if err := u.Enter(0); err != nil || handed == 0 {
		return err
	}
	u.watched++
	each := (u.clock.Now() - began) / time.Duration(handed)
	if u.Waiting() >= handed && u.inline.sees(each) {
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
	for ; ; now = u.clock.Now() {
		if u.QueueLength() == 0 {
			if filled := u.reap(done); filled > 0 {
				return filled, nil
			}
			now = u.clock.Now()
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

// reap takes the operations that are complete by now, all of them at one time.
func (u *uring) reap(done []Completion) int {
	waiting := min(u.Waiting(), len(done))
	if waiting == 0 {
		return 0
	}
	now := u.clock.Now()
	for i := range waiting {
		slot, moved, err := u.Pop()
		done[i] = Completion{Slot: slot, Submitted: u.submitted[slot], Completed: now,
			Err: checkMoved(moved, u.asked[slot], err)}
	}
	return waiting
}
