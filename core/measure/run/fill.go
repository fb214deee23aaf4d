package run

import (
	"context"
	"fmt"

	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/storage/payload"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// doFill brings the target to a level: a folder by filler files, a device by writing
// it from its start.
func doFill(r *runner, ctx context.Context, item plan.Item) (int, error) {
	level := item.(plan.FillTo).Share
	if err := r.fillTo(ctx, &r.main, level); err != nil {
		return 0, fmt.Errorf("filling to %.0f %%: %w", level*100, err)
	}
	return 0, nil
}

func doFree(r *runner, ctx context.Context, _ plan.Item) (int, error) { return 0, r.free(ctx) }

func (r *runner) fillTo(ctx context.Context, d *desk, level float64) error {
	d.filling = true
	if folder, ok := d.folder(); ok {
		return folder.FillTo(ctx, level, r.filling(d), func(share float64) { r.progress.fillingTo(level, share) })
	}
	span := d.Description().Span
	goal := unit.Bytes(level*float64(span)) / fillBlock * fillBlock
	err := r.cover(ctx, d, d.filledTo, goal, func(p engine.Progress) {
		r.progress.fillingTo(level, float64(p.Bytes)/float64(span))
	})
	if err == nil && ctx.Err() == nil {
		d.filledTo = max(d.filledTo, goal)
	}
	return err
}

// filling is the data that fills a folder, which is entered as written.
func (r *runner) filling(d *desk) func(length int) []byte {
	source := payload.Compressible(r.request.compressible())
	return func(length int) []byte {
		d.enter(engine.Moved{Written: unit.Bytes(length)})
		return source.Next(length)
	}
}

// fillsByLevels reports whether the plan fills a device level by level, so that it is
// not to be written before.
func (r *runner) fillsByLevels(d target.Description) bool {
	return d.Kind != target.Folder && r.lowestLevel() > 0
}

// lowestLevel is the lowest share above nothing that the plan fills to, or 0 where it
// fills to none.
func (r *runner) lowestLevel() float64 {
	lowest := 0.0
	for _, item := range r.request.Plan.Program(r.request.Hold) {
		if fill, ok := item.(plan.FillTo); ok && fill.Share > 0 && (lowest == 0 || fill.Share < lowest) {
			lowest = fill.Share
		}
	}
	return lowest
}

// folder is the target as one that is filled with files, if it is one.
func (d *desk) folder() (target.Filler, bool) {
	folder, ok := d.Target.(target.Filler)
	return folder, ok && d.Description().Kind == target.Folder
}

// free gives back the space that filling took. Stamped data is checked before it is discarded: afterwards
// nothing can be expected of it.
func (r *runner) free(ctx context.Context) error {
	d := &r.main
	if !d.filling {
		return nil
	}
	d.filling = false
	d.filledTo = 0
	if folder, ok := d.folder(); ok {
		return folder.Free()
	}
	forgetful, ok := d.Target.(target.Discarder)
	if !ok {
		return nil
	}
	if err := r.readBack(ctx, d); err != nil {
		return err
	}
	if d.ledger != nil {
		d.ledger.Forget()
	}
	d.written.Forget()
	return forgetful.Discard(0)
}
