package run

import (
	"context"
	"errors"
	"fmt"

	"opengauge/core/bench/link"
	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

func doPass(r *runner, ctx context.Context, item plan.Item) (int, error) {
	_, err := r.attempt(ctx, item.(plan.Pass))
	return 0, err
}

// each runs passes one after the other.
func (r *runner) each(ctx context.Context, passes []plan.Pass) error {
	for _, pass := range passes {
		if _, err := r.attempt(ctx, pass); err != nil {
			return err
		}
	}
	return nil
}

// attempt runs a pass, if the run is not stopped, and outlasts a device that
// vanishes in it. It gives the pass as it was recorded, or nil.
func (r *runner) attempt(ctx context.Context, pass plan.Pass) (*session.Pass, error) {
	if ctx.Err() != nil {
		return nil, nil
	}
	record, err := r.measure(ctx, pass)
	if err != nil {
		err = r.outlast(ctx, err)
	}
	if err != nil {
		return record, fmt.Errorf("pass %d (%s): %w", pass.Index+1, pass.Label(), err)
	}
	return record, nil
}

// measure runs a pass on the target, records and keeps it.
func (r *runner) measure(ctx context.Context, p plan.Pass) (*session.Pass, error) {
	r.progress.begin(p)
	before := r.readLinks()
	result, err := r.do(ctx, &r.main, r.asked(&r.main, p))
	var record *session.Pass
	if result.Operations > 0 || result.Errors > 0 {
		made := passRecord(p, r.main.Description(), result, r.began)
		if before != nil {
			made.Link = &link.Record{Before: *before, After: *r.readLinks()}
		}
		record = &made
		r.session.Passes = append(r.session.Passes, made)
		if keeping := r.keeper.AddPass(r.session.ID, made); keeping != nil {
			err = errors.Join(err, fmt.Errorf("keeping the pass: %w", keeping))
		}
		r.progress.end(made)
	}
	return record, firstFailure(result, err)
}

// firstFailure puts the first failed operation in front of an error, and makes it
// one where no operation succeeded.
func firstFailure(result engine.Result, err error) error {
	if result.FirstError != nil && (err != nil || result.Operations == 0) {
		err = errors.Join(result.FirstError, err)
	}
	return target.Explain(err)
}

// asked is the work of a pass on a target: its load, on the part of the target that
// it touches.
func (r *runner) asked(d *desk, p plan.Pass) work {
	w := work{Load: p.Load, seed: p.Index, told: r.progress.measuring}
	whole := d.Description().Span
	w.Span = whole
	if p.Span > 0 {
		w.Span = min(p.Span, whole)
	}
	if p.Filled {
		w.Span = d.filledSpan(p, w.Span)
	}
	w.timing = engine.Timing{
		Settle: p.Settle(), Hold: p.Hold, Bytes: bytesOf(p, w.Span), Within: p.Within, Round: p.Round,
	}
	return w
}

// filledSpan is what passes at a level touch: on a device what is filled, as far
// as anything is.
func (d *desk) filledSpan(p plan.Pass, span unit.Bytes) unit.Bytes {
	if d.filledTo == 0 {
		return span
	}
	return min(span, max(d.filledTo, p.Block*unit.Bytes(p.Workers)))
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
