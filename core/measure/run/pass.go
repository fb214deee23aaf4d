package run

import (
	"context"
	"errors"
	"fmt"

	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
	"opengauge/core/load"
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
	asked, err := r.workOf(&r.main, p)
	if err != nil {
		return nil, err
	}
	asked.sampled = r.follow(p)
	r.forgetTracks()
	if err := r.enter(ctx, p); err != nil {
		if ctx.Err() != nil {
			return nil, nil
		}
		return nil, err
	}
	result, err := r.do(ctx, &r.main, asked)
	var record *session.Pass
	if result.Operations > 0 || result.Errors > 0 {
		made := passRecord(p, r.main.Description(), result, r.began)
		made.Tracks = r.tracks(result.Started, made.ElapsedSeconds)
		if before != nil {
			made.Link = &link.Record{Before: *before, After: *r.readLinks()}
		}
		record = &made
		r.noteLimit(p, asked.timing, made)
		r.session.Passes = append(r.session.Passes, made)
		if keeping := r.keeper.AddPass(r.session.ID, made); keeping != nil {
			err = errors.Join(err, fmt.Errorf("keeping the pass: %w", keeping))
		}
		r.progress.end(made)
	}
	return record, firstFailure(result, err)
}

// noteLimit notes a pass that its time ended before it had moved its amount.
func (r *runner) noteLimit(p plan.Pass, asked engine.Timing, made session.Pass) {
	if asked.Bytes <= made.Bytes || made.CutShort || made.Errors > 0 {
		return
	}
	if held := unit.Duration(made.ElapsedSeconds - made.FlushSeconds); asked.Hold > 0 && held >= asked.Hold {
		r.events.add(r.main.Now()-r.began, event.Limit, fmt.Sprintf("pass %d (%s) was to move %s, and its limit of %s "+
			"ended it after %s; give it a longer hold", p.Index+1, p.Label(), asked.Bytes.Decimal(), asked.Hold,
			made.Bytes.Decimal()))
	}
}

// enter waits for the other hosts, where there are some.
func (r *runner) enter(ctx context.Context, p plan.Pass) error {
	if r.request.Gate == nil {
		return nil
	}
	r.progress.meeting()
	notes, err := r.request.Gate.Enter(ctx, p.Index)
	for _, note := range notes {
		r.events.add(r.main.Now()-r.began, event.Host, note)
	}
	return err
}

// firstFailure puts the first failed operation in front of an error, and makes it
// one where no operation succeeded.
func firstFailure(result engine.Result, err error) error {
	if result.FirstError != nil && (err != nil || result.Operations == 0) {
		err = errors.Join(result.FirstError, err)
	}
	return target.Explain(err)
}

// workOf is the work of a pass on a target: its load, on the part of the target that
// it touches.
func (r *runner) workOf(d *desk, p plan.Pass) (work, error) {
	touched := d.geometry(0, d.Description().Span)
	if p.Filled {
		touched.Length = r.filledSpan(d, p, touched.Length)
	}
	area, err := p.Area(touched)
	return work{
		Load: p.Load, area: area, seed: p.Index, told: r.progress.measuring,
		timing: engine.Timing{Settle: p.Settle(), Hold: p.Hold, Bytes: bytesOf(p, area), Within: p.Within, Round: p.Round},
	}, err
}

// emptySpan is the part that passes touch of an empty device: as much as of a folder, or a tenth of a small
// device.
const emptySpan = unit.GiB

// filledSpan returns the part that passes at a level touch. On a device that is the filled part. Before any,
// it is a small part of the lowest level, so that the writes of a pass do not fill the device further than
// its levels say. A folder's test file is as it is.
func (r *runner) filledSpan(d *desk, p plan.Pass, span unit.Bytes) unit.Bytes {
	if d.Description().Kind == target.Folder {
		return span
	}
	if p.Span > 0 {
		span = min(span, p.Span)
	}
	touched := d.filledTo
	if touched == 0 {
		touched = min(emptySpan, span/10)
		if lowest := r.lowestLevel(); lowest > 0 {
			touched = min(touched, unit.Bytes(lowest*float64(span)))
		}
		touched = touched / p.Block * p.Block
	}
	return min(span, max(touched, p.Block*unit.Bytes(p.Workers)))
}

// bytesOf is after how many bytes a pass ends, or 0.
func bytesOf(p plan.Pass, over load.Area) unit.Bytes {
	if p.Times == 0 {
		return p.Bytes
	}
	bytes := unit.Bytes(p.Times*float64(over.Length())) / p.Block * p.Block
	if p.Bytes > 0 {
		return min(p.Bytes, bytes)
	}
	return max(bytes, p.Block)
}

// follow lets the follower look on at a pass, and ends it once a cause is settled, where
// that was asked for.
func (r *runner) follow(p plan.Pass) func(engine.Sample) bool {
	follower := r.request.Follow
	if follower == nil {
		return nil
	}
	follower.Begin(r.session, session.Pass{Index: p.Index, Step: p.Step, Load: p.Load, FillShare: p.Fill,
		Direct: r.main.Description().Direct})
	return func(s engine.Sample) bool {
		follower.Sample(sampleRecord(s))
		_, settled := follower.Says()
		return p.Explained > 0 && settled >= p.Explained
	}
}
