package run

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Other is a target that contends with the one that is measured.
type Other struct {
	Address string
	Target  target.Target
	Chain   link.Chain
}

// contend runs a pass on the target and on others, on each alone and on all at once.
func (r *runner) contend(ctx context.Context, c *plan.Contending) error {
	members := []Other{{Address: r.target.Description().Address, Target: r.target, Chain: r.request.Chain}}
	for _, address := range c.With {
		for _, other := range r.request.Others {
			if other.Address == address {
				members = append(members, other)
			}
		}
	}
	if len(members) != len(c.With)+1 {
		return fmt.Errorf("not all of the targets %q that the plan contends with are open", c.With)
	}
	record := session.Contention{Index: len(r.session.Contentions)}
	for number, member := range members {
		if number > 0 {
			if err := r.fillOther(ctx, member.Target); err != nil {
				return fmt.Errorf("filling the test file in %s: %w", member.Address, err)
			}
		}
		sameTime(members)
		alone, err := r.onOne(ctx, member.Target, c.Pass)
		if err != nil || ctx.Err() != nil {
			return wrapMember(member, err)
		}
		record.Members = append(record.Members, session.Member{Address: member.Address, Chain: member.Chain, Alone: alone})
	}
	if err := r.atOnce(ctx, members, c.Pass, &record); err != nil || ctx.Err() != nil {
		return err
	}
	r.session.Contentions = append(r.session.Contentions, record)
	return nil
}

// sameTime brings the clocks of simulated members together, so that none finds a
// shared hop busy with what another did in its future.
func sameTime(members []Other) {
	latest := time.Duration(0)
	for _, member := range members {
		latest = max(latest, member.Target.Now())
	}
	for _, member := range members {
		if virtual, can := member.Target.(sleeper); can {
			virtual.Sleep(latest - member.Target.Now())
		}
	}
}

func wrapMember(member Other, err error) error {
	if err == nil {
		return nil
	}
	return fmt.Errorf("%s: %w", member.Address, err)
}

// atOnce runs the pass on all members at the same time.
func (r *runner) atOnce(ctx context.Context, members []Other, pass plan.Pass, record *session.Contention) error {
	targets := make([]target.Target, len(members))
	for at, member := range members {
		targets[at] = member.Target
	}
	if r.request.Together != nil {
		targets = r.request.Together(targets)
	}
	failed := make([]error, len(members))
	var group sync.WaitGroup
	for at := range members {
		group.Go(func() {
			record.Members[at].Together, failed[at] = r.onOne(ctx, targets[at], pass)
			failed[at] = wrapMember(members[at], failed[at])
		})
	}
	group.Wait()
	return errors.Join(failed...)
}

// onOne runs the pass on one target.
func (r *runner) onOne(ctx context.Context, on target.Target, p plan.Pass) (session.Pass, error) {
	d := on.Description()
	load := engine.Load{WriteShare: p.WriteShare, Random: p.Access == plan.Random, Block: p.Block, Depth: p.Depth, Span: d.Span, Seed: newSeed(r.session, p.Index)}
	timing := engine.Timing{Settle: p.Settle(), Hold: p.Hold, Sample: r.request.Sample, Stall: r.request.StallAfter}
	result, err := engine.Run(ctx, on, load, timing, engine.Watch{})
	if result.FirstError != nil && (err != nil || result.Operations == 0) {
		err = errors.Join(result.FirstError, err)
	}
	return passRecord(p, d, result, r.began), target.Explain(err)
}

// fillOther writes another target's test file once, so that no read meets a hole.
func (r *runner) fillOther(ctx context.Context, on target.Target) error {
	d := on.Description()
	if !d.Unfilled {
		return nil
	}
	load := engine.Load{WriteShare: 1, Block: min(fillBlock, d.Span&-d.Span), Depth: fillDepth, Span: d.Span, Seed: newSeed(r.session, -1)}
	result, err := engine.Run(ctx, on, load, engine.Timing{Bytes: unit.Bytes(d.Span), Sample: SampleLength}, engine.Watch{})
	if err == nil && result.FirstError != nil {
		err = result.FirstError
	}
	return target.Explain(err)
}
