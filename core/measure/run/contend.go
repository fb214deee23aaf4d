package run

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
)

// Other is a target that contends with the one that is measured.
type Other struct {
	Address string
	Target  target.Target
	Chain   link.Chain
}

// contender is a target of a contention.
type contender struct {
	*desk
	chain link.Chain
}

// doContend runs a pass on the target and on others, on each alone and on all at
// once.
func doContend(r *runner, ctx context.Context, item plan.Item) (int, error) {
	c := item.(plan.Contending)
	members, err := r.contenders(c)
	if err != nil {
		return 0, err
	}
	record := session.Contention{Index: len(r.session.Contentions)}
	for _, member := range members {
		if err := r.fillOnce(ctx, member.desk); err != nil {
			return 0, fmt.Errorf("filling the test file in %s: %w", member.address, err)
		}
		sameTime(members)
		alone, err := r.onOne(ctx, member, c.Pass)
		if err != nil || ctx.Err() != nil {
			return 0, err
		}
		record.Members = append(record.Members, session.Member{Address: member.address, Chain: member.chain,
			Alone: alone})
	}
	if err := r.atOnce(ctx, members, c.Pass, &record); err != nil || ctx.Err() != nil {
		return 0, err
	}
	r.session.Contentions = append(r.session.Contentions, record)
	return 0, nil
}

// contenders are the run's own target and those that the step names.
func (r *runner) contenders(c plan.Contending) ([]contender, error) {
	members := []contender{{&r.main, r.request.Chain}}
	for _, address := range c.With {
		for i := range r.others {
			if r.others[i].address == address {
				members = append(members, contender{&r.others[i], r.request.Others[i].Chain})
			}
		}
	}
	if len(members) != len(c.With)+1 {
		return nil, fmt.Errorf("not all of the targets %q that the plan contends with are open", c.With)
	}
	return members, nil
}

// sameTime brings the clocks of simulated members together, so that none finds a shared hop busy with
// another's future.
func sameTime(members []contender) {
	latest := time.Duration(0)
	for _, member := range members {
		latest = max(latest, member.Now())
	}
	for _, member := range members {
		if virtual, ok := member.Target.(target.Sleeper); ok {
			virtual.Sleep(latest - member.Now())
		}
	}
}

// atOnce runs the pass on all members at the same time.
func (r *runner) atOnce(ctx context.Context, members []contender, p plan.Pass, record *session.Contention) error {
	if r.request.Together != nil {
		members = r.together(members)
	}
	failed := make([]error, len(members))
	var group sync.WaitGroup
	for i, member := range members {
		group.Go(func() { record.Members[i].Together, failed[i] = r.onOne(ctx, member, p) })
	}
	group.Wait()
	return errors.Join(failed...)
}

// together gives simulated members as targets that keep their clocks together.
func (r *runner) together(members []contender) []contender {
	targets := make([]target.Target, len(members))
	for i, member := range members {
		targets[i] = member.Target
	}
	joined := make([]contender, len(members))
	for i, each := range r.request.Together(targets) {
		of := *members[i].desk
		of.Target = each
		joined[i] = contender{&of, members[i].chain}
	}
	return joined
}

// onOne runs the pass on one of the targets.
func (r *runner) onOne(ctx context.Context, on contender, p plan.Pass) (session.Pass, error) {
	w, err := r.workOf(on.desk, p)
	if err != nil {
		return session.Pass{}, fmt.Errorf("%s: %w", on.address, err)
	}
	w.told = nil
	result, err := r.do(ctx, on.desk, w)
	if err = firstFailure(result, err); err != nil {
		err = fmt.Errorf("%s: %w", on.address, err)
	}
	return passRecord(p, on.Description(), result, r.began), err
}

// fillOnce writes a target's test file once, so that no read meets a hole. The
// run's own is filled before.
func (r *runner) fillOnce(ctx context.Context, d *desk) error {
	if d == &r.main || !d.Description().Unfilled && d.ledger == nil || d.filledTo > 0 {
		return nil
	}
	span := d.Description().Span
	if err := r.cover(ctx, d, 0, span, nil); err != nil {
		return err
	}
	d.filledTo = span
	return nil
}
