package run

import (
	"context"
	"errors"

	"opengauge/core/plan"
)

// doer does an item of a plan. It gives how many of the items behind it are left
// out.
type doer func(r *runner, ctx context.Context, item plan.Item) (skip int, err error)

// doers are the functions for each kind of item, by its name. Each is in the file of its step.
var doers = map[string]doer{
	plan.Pass{}.Does():       doPass,
	plan.Grid{}.Does():       doGrid,
	plan.Check{}.Does():      doCheck,
	plan.FillTo{}.Does():     doFill,
	plan.Free{}.Does():       doFree,
	(&plan.Rest{}).Does():    doRest,
	plan.Contending{}.Does(): doContend,
}

// program does the items of a plan, one after the other.
func (r *runner) program(ctx context.Context, items []plan.Item) (err error) {
	defer func() { err = errors.Join(err, r.free(ctx)) }()
	for i := 0; i < len(items) && ctx.Err() == nil; i++ {
		skip, err := doers[items[i].Does()](r, ctx, items[i])
		if err != nil {
			return err
		}
		i += skip
	}
	return nil
}
