package run

import (
	"context"
	"fmt"
	"hash/fnv"

	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// mostVerified bounds the memory that remembers what every block ought to hold.
const mostVerified = 256 * unit.GiB

// checkVerify says whether the target can be verified.
func (r Request) checkVerify() error {
	d := r.Target.Description()
	switch {
	case !r.Verify:
		return nil
	case d.Kind == target.Simulated:
		return fmt.Errorf("%s keeps no data, so there is nothing to verify", d.Address)
	case !d.Writable:
		return fmt.Errorf("verifying writes to all of %s, which may only be read; name a folder, or a device with --overwrite", d.Address)
	case d.Span > mostVerified:
		return fmt.Errorf("verifying %s needs too much memory; give a --size of at most %s", d.Span.Capacity(), mostVerified)
	}
	return nil
}

// newLedger makes the ledger of a run that verifies, or gives nil.
func (r Request) newLedger() *engine.Ledger {
	if !r.Verify {
		return nil
	}
	cell := engine.LargestCell
	for _, pass := range r.Plan.Passes(plan.DefaultHold) {
		cell = min(cell, pass.Block)
	}
	number := fnv.New64a()
	_, _ = number.Write([]byte(r.ID))
	return engine.NewLedger(r.Target.Description().Span, cell, number.Sum64())
}

// readBack reads everything that was written, and records what that found.
func (r *runner) readBack(ctx context.Context) error {
	if r.ledger == nil {
		return nil
	}
	span := r.target.Description().Span
	block := min(fillBlock, span&-span)
	load := engine.Load{Block: block, Depth: fillDepth, Span: span, Ledger: r.ledger}
	timing := engine.Timing{Bytes: span, Sample: SampleLength}
	r.ledger.Begin()
	_, err := engine.Run(ctx, r.target, load, timing, engine.Watch{Progress: r.progress.readingBack})
	return err
}

// recordVerdict puts into the session what was checked.
func (r *runner) recordVerdict() {
	if r.ledger == nil {
		return
	}
	v := r.ledger.Verdict()
	r.session.Verification = &session.Verification{
		BlockBytes: v.Cell, Checked: v.Checked, Faults: v.Faults(), Wrong: v.Wrong, Stale: v.Stale, Misplaced: v.Misplaced,
		FirstOffset: v.FirstOffset, WrapsAtBytes: v.WrapsAt,
	}
}
