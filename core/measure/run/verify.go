package run

import (
	"context"
	"fmt"
	"hash/fnv"
	"slices"

	"opengauge/core/load"
	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// checkVerify says whether the target, and those that it contends with, can be
// verified.
func (r Request) checkVerify() error {
	if !r.Verify {
		return nil
	}
	cell := r.cell()
	most := engine.MostVerified(cell, r.writesAnywhere())
	for _, d := range r.descriptions() {
		switch {
		case d.Kind == target.Simulated:
			return fmt.Errorf("%s keeps no data, so there is nothing to verify", d.Address)
		case !d.Writable:
			return fmt.Errorf("verifying writes to all of %s, which may only be read; "+
				"name a folder, or a device with --overwrite", d.Address)
		case d.Span < load.SmallestBlock || d.Span%load.SmallestBlock != 0:
			return fmt.Errorf("%s has a span of %s, which is no multiple of %s, and cannot be verified; give a "+
				"--size that is",
				d.Address, d.Span, load.SmallestBlock)
		case d.Span > most:
			return fmt.Errorf("verifying %s in cells of %s needs too much memory; give a --size of at most %s",
				d.Span.Capacity(), cell, most)
		}
	}
	return nil
}

// everyPass returns the passes of the plan, with the passes of contentions.
func (r Request) everyPass() []plan.Pass {
	passes := r.Plan.Passes(plan.DefaultHold)
	for _, item := range r.Plan.Program(plan.DefaultHold) {
		if contend, ok := item.(plan.Contending); ok {
			passes = append(passes, contend.Pass)
		}
	}
	return passes
}

// writesAnywhere reports whether a pass of the plan writes in random order.
func (r Request) writesAnywhere() bool {
	return slices.ContainsFunc(r.everyPass(), func(p plan.Pass) bool { return p.Writes() && p.Access == load.Random })
}

// descriptions returns the descriptions of all targets.
func (r Request) descriptions() []target.Description {
	all := []target.Description{r.Target.Description()}
	for _, other := range r.Others {
		all = append(all, other.Target.Description())
	}
	return all
}

// cell is the unit in which all targets of the run are verified, so that their counts add up: the largest, up
// to [engine.LargestCell], that divides every block in use. All are multiples of [load.SmallestBlock], and so
// is it.
func (r Request) cell() unit.Bytes {
	cell := engine.LargestCell
	for _, d := range r.descriptions() {
		whole := load.Geometry{Length: d.Span, Alignment: d.SmallestBlock}
		areas, _ := whole.Tile(fillBlock) // what a target does not take is refused before
		for _, pass := range r.everyPass() {
			if area, err := pass.Area(whole); err == nil {
				areas = append(areas, area)
			}
		}
		cell = load.Common(cell, areas...)
	}
	return cell
}

// ledgerNumber tells the stamps of one target and run from others.
func ledgerNumber(name string) uint64 {
	number := fnv.New64a()
	_, _ = number.Write([]byte(name))
	return number.Sum64()
}

// readBack reads everything that was written to a target, past unreadable parts.
func (r *runner) readBack(ctx context.Context, d *desk) error {
	if d.ledger == nil {
		return nil
	}
	before := d.ledger.Sum()
	defer func() {
		after := d.ledger.Sum()
		d.readBack += after.Checked + after.Unreadable - before.Checked - before.Unreadable
	}()
	d.ledger.Sweep()
	works, err := onceOver(load.Read, d.geometry(0, d.Description().Span), fillBlock)
	if err != nil {
		return err
	}
	for _, w := range works {
		w.told = r.progress.readingBack
		w.timing.Tolerate = engine.TolerateAll
		if _, err := r.do(ctx, d, w); err != nil {
			return fmt.Errorf("reading back: %w", err)
		}
	}
	return nil
}

// desks are all targets of the run.
func (r *runner) desks() []*desk {
	all := []*desk{&r.main}
	for i := range r.others {
		all = append(all, &r.others[i])
	}
	return all
}

// recordVerdict puts the results of verification into the session, of all targets together.
func (r *runner) recordVerdict() {
	if r.main.ledger == nil {
		return
	}
	sum := &session.Verification{FirstOffset: -1}
	for _, d := range slices.Backward(r.desks()) {
		v := d.ledger.Sum()
		sum.BlockBytes = v.Cell
		sum.Written += v.Written
		sum.Checked += v.Checked
		sum.ReadBack += d.readBack
		sum.Faults += v.Faults()
		sum.Wrong += v.Wrong
		sum.Stale += v.Stale
		sum.Misplaced += v.Misplaced
		sum.Unreadable += v.Unreadable
		if v.FirstOffset >= 0 {
			sum.FirstOffset = v.FirstOffset
			sum.FaultyAddress = d.address
		}
		if v.WrapsAt > 0 {
			sum.WrapsAtBytes = v.WrapsAt
		}
	}
	r.session.Verification = sum
}
