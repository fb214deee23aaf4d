package run

import (
	"context"
	"time"
)

// lookForRoom is how often free space is looked at while something is written.
const lookForRoom = time.Second

// roomy is a target that may run out of the space around it.
type roomy interface {
	// Room says why nothing more should be written, or nothing.
	Room() error
}

// guarded gives a context that ends when the target runs out of room. Its cause
// is then the target's error. The returned function ends the guard.
func (r *runner) guarded(ctx context.Context, writes bool) (context.Context, func()) {
	target, can := r.target.(roomy)
	if !can || !writes {
		return ctx, func() {}
	}
	guard, end := context.WithCancelCause(ctx)
	go func() {
		ticks := time.NewTicker(lookForRoom)
		defer ticks.Stop()
		for {
			select {
			case <-guard.Done():
				return
			case <-ticks.C:
				if err := target.Room(); err != nil {
					end(err)
				}
			}
		}
	}()
	return guard, func() { end(nil) }
}

// outOfRoom is why a guard ended, or nothing where it did not end, or where the
// run itself was stopped.
func outOfRoom(ctx, guard context.Context) error {
	if ctx.Err() != nil || guard.Err() == nil {
		return nil
	}
	return context.Cause(guard)
}
