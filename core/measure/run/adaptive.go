package run

import (
	"context"
	"maps"
	"slices"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// sweepGrid measures the passes of one adaptive grid, as few as tell it, and
// fills in the rest. Where a point cannot be measured, all others are.
func doGrid(r *runner, ctx context.Context, item plan.Item) (int, error) {
	return 0, r.sweepGrid(ctx, item.(plan.Grid).Passes)
}

func (r *runner) sweepGrid(ctx context.Context, passes []plan.Pass) error {
	g, at := newDepthGrid(passes)
	visit := func(p place) (bool, error) {
		pass := at[p]
		delete(at, p)
		measured, err := r.attempt(ctx, pass)
		if measured == nil || err != nil {
			return false, err
		}
		g.note(p, measured)
		return measured.Bytes > 0, nil
	}
	places := g.edges()
	for visited := 0; visited < g.budget(); visited++ {
		if visited == len(places) {
			next, more := g.next()
			if !more {
				break
			}
			places = append(places, next)
		}
		known, err := visit(places[visited])
		if err != nil {
			return err
		}
		if !known {
			return r.each(ctx, slices.SortedFunc(maps.Values(at),
				func(a, b plan.Pass) int { return a.Index - b.Index }))
		}
	}
	r.fillIn(g, at)
	return nil
}

// fillIn records estimates for the points that were not measured.
func (r *runner) fillIn(g *depthGrid, unmeasured map[place]plan.Pass) {
	for row := range g.blocks {
		for column := range g.depths {
			pass, missing := unmeasured[place{row, column}]
			if !missing {
				continue
			}
			rate := unit.BytesPerSecond(g.estimate(row, column))
			r.session.Estimates = append(r.session.Estimates, session.Estimate{
				Load: pass.Load, BytesPerSecond: rate, IOPS: float64(rate) / float64(pass.Block),
			})
		}
	}
}

// note enters the measurement of a point.
func (g *depthGrid) note(p place, measured *session.Pass) {
	g.rates[p.row][p.column] = float64(measured.BytesPerSecond)
	if interval := measured.Throughput; interval != nil && measured.BytesPerSecond > 0 {
		g.interval = max(g.interval, float64((interval.High-interval.Low)/2/measured.BytesPerSecond))
	}
}

// newDepthGrid arranges the passes of a grid.
func newDepthGrid(passes []plan.Pass) (*depthGrid, map[place]plan.Pass) {
	g := &depthGrid{}
	for _, pass := range passes {
		g.blocks = append(g.blocks, pass.Block)
		g.depths = append(g.depths, pass.Depth)
	}
	slices.Sort(g.blocks)
	slices.Sort(g.depths)
	g.blocks = slices.Compact(g.blocks)
	g.depths = slices.Compact(g.depths)
	for range g.blocks {
		g.rates = append(g.rates, make([]float64, len(g.depths)))
	}
	at := map[place]plan.Pass{}
	for _, pass := range passes {
		at[place{slices.Index(g.blocks, pass.Block), slices.Index(g.depths, pass.Depth)}] = pass
	}
	return g, at
}
