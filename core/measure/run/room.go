package run

import (
	"context"
	"time"

	"opengauge/core/storage/target"
)

// lookForRoom is how often free space is looked at while something is written.
const lookForRoom = time.Second

// guarded gives a context that ends when the target runs out of room. Its cause
// is then the target's error. The returned function ends the guard.
func guarded(ctx context.Context, on target.Target, writes bool) (context.Context, func()) {
	roomy, ok := on.(target.Roomy)
	if !ok || !writes {
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
				if err := roomy.Room(); err != nil {
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
