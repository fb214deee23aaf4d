package run

import (
	"context"
	"errors"
	"fmt"
	"math"
	"time"

	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/stat"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// program does what a plan expands into, one after the other.
func (r *runner) program(ctx context.Context, items []plan.Item) (err error) {
	defer func() { err = errors.Join(err, r.free()) }()
	for at := 0; at < len(items) && ctx.Err() == nil; at++ {
		switch item := items[at]; {
		case item.Rest != nil:
			r.rest(ctx, *item.Rest)
		case item.Fill != nil:
			err = r.fillTo(ctx, *item.Fill)
		case item.Free:
			err = r.free()
		case item.Check != nil:
			if r.narrow(*item.Check) {
				at += item.Check.Skip
			}
		case item.Contend != nil:
			err = r.contend(ctx, item.Contend)
		case item.Pass.Grid > 0:
			grid := gridFrom(items[at:])
			at += len(grid) - 1
			err = r.sweepGrid(ctx, grid)
		default:
			_, err = r.attempt(ctx, *item.Pass)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// gridFrom gives the passes of the adaptive grid that items begin with.
func gridFrom(items []plan.Item) []plan.Pass {
	var grid []plan.Pass
	for _, item := range items {
		if item.Pass == nil || item.Pass.Grid != items[0].Pass.Grid {
			break
		}
		grid = append(grid, *item.Pass)
	}
	return grid
}

// sleeper is a target on whose clock time can pass with nothing to do.
type sleeper interface {
	Sleep(stretch time.Duration)
}

// restStep is how often a rest looks up.
const restStep = 250 * time.Millisecond

// rest lets the target be until the rest is over.
func (r *runner) rest(ctx context.Context, rest plan.Rest) {
	began := r.target.Now()
	until := began + unit.Duration(rest.ForSeconds)
	for ctx.Err() == nil && r.target.Now() < until && !r.cooled(rest) {
		r.progress.resting(r.target.Now()-began, unit.Duration(rest.ForSeconds))
		r.pause(ctx, min(restStep, until-r.target.Now()))
	}
}

// cooled says whether the drive is as cool as a rest asks for. One without a
// thermometer never is.
func (r *runner) cooled(rest plan.Rest) bool {
	if rest.BelowCelsius == nil {
		return false
	}
	temperature, known := hottest(r.request.Sensors.Temperatures())
	return known && temperature < *rest.BelowCelsius
}

// hottest is the drive's own temperature, or else the highest that is known.
func hottest(temperatures map[string]unit.Celsius) (unit.Celsius, bool) {
	if drive, known := temperatures["drive"]; known {
		return drive, true
	}
	highest := unit.Celsius(math.Inf(-1))
	for _, temperature := range temperatures {
		highest = max(highest, temperature)
	}
	return highest, len(temperatures) > 0
}

// pause lets time pass on the target's clock.
func (r *runner) pause(ctx context.Context, stretch time.Duration) {
	if virtual, can := r.target.(sleeper); can {
		virtual.Sleep(stretch)
		return
	}
	select {
	case <-ctx.Done():
	case <-time.After(stretch):
	}
}

// narrow says whether the passes that were repeated are known well enough.
func (r *runner) narrow(check plan.Check) bool {
	rates := map[plan.Pass][]float64{}
	for at := range r.session.Passes {
		pass := &r.session.Passes[at]
		if pass.Index >= check.From && pass.Index < check.To && !pass.CutShort {
			asked := pass.Asked()
			rates[asked] = append(rates[asked], float64(pass.BytesPerSecond))
		}
	}
	for _, repeats := range rates {
		interval, known := stat.RepeatInterval(repeats)
		if !known || interval.Share() > check.Within {
			return false
		}
	}
	return len(rates) > 0
}

// filler is a target that is filled and freed in its own way.
type filler interface {
	// FillTo brings what the target is on to a share of what it holds. Progress
	// is told of the share that is reached.
	FillTo(ctx context.Context, share float64, progress func(share float64)) error
	// Free takes away what filled it.
	Free() error
}

// folder is the target as one that is filled with files, if it is one.
func (r *runner) folder() (filler, bool) {
	folder, can := r.target.(filler)
	return folder, can && r.target.Description().Kind == target.Folder
}

// discarder is a target that can forget what it holds from an offset on.
type discarder interface {
	Discard(from unit.Bytes) error
}

// fillTo brings the target to a level: a folder by filler files, a device by
// writing it from its start.
func (r *runner) fillTo(ctx context.Context, level float64) error {
	r.filling = true
	if folder, is := r.folder(); is {
		err := folder.FillTo(ctx, level, func(share float64) { r.progress.fillingTo(level, share) })
		if err != nil {
			return fmt.Errorf("filling to %.0f %%: %w", level*100, err)
		}
		return nil
	}
	d := r.target.Description()
	goal := unit.Bytes(level*float64(d.Span)) / fillBlock * fillBlock
	if goal <= r.filledTo {
		return nil
	}
	load := engine.Load{WriteShare: 1, Block: fillBlock, Depth: fillDepth, Start: r.filledTo, Span: goal - r.filledTo, Seed: newSeed(r.session, -1)}
	timing := engine.Timing{Bytes: goal - r.filledTo, Sample: SampleLength}
	result, err := engine.Run(ctx, r.target, load, timing, engine.Watch{
		Sense:    r.sense,
		Progress: func(p engine.Progress) { r.progress.fillingTo(level, float64(r.filledTo+p.Bytes)/float64(d.Span)) },
	})
	if err != nil || result.FirstError != nil {
		return fmt.Errorf("filling to %.0f %%: %w", level*100, errors.Join(err, result.FirstError))
	}
	if ctx.Err() == nil {
		r.filledTo = goal
	}
	return nil
}

// free gives back what filling took.
func (r *runner) free() error {
	if !r.filling {
		return nil
	}
	r.filling, r.filledTo = false, 0
	if folder, is := r.folder(); is {
		return folder.Free()
	}
	if forgetful, can := r.target.(discarder); can {
		return forgetful.Discard(0)
	}
	return nil
}

// filledSpan is what passes at a level touch: on a device what is filled, as far
// as anything is.
func (r *runner) filledSpan(p plan.Pass, span unit.Bytes) unit.Bytes {
	if r.filledTo == 0 {
		return span
	}
	return min(span, max(r.filledTo, p.Block*unit.Bytes(p.Workers)))
}

// bytesOf is after how many bytes a pass ends, or 0.
func bytesOf(p plan.Pass, span unit.Bytes) unit.Bytes {
	if p.Times == 0 {
		return p.Bytes
	}
	over := unit.Bytes(p.Times*float64(span)) / p.Block * p.Block
	if p.Bytes > 0 {
		return min(p.Bytes, over)
	}
	return max(over, p.Block)
}
