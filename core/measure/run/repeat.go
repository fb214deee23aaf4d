package run

import (
	"context"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/stat"
)

// doCheck leaves out the repeats that are left once all passes are known well
// enough.
func doCheck(r *runner, _ context.Context, item plan.Item) (int, error) {
	check := item.(plan.Check)
	if r.narrow(check) {
		return check.Skip, nil
	}
	return 0, nil
}

// narrow reports whether the passes that were repeated are known well enough.
func (r *runner) narrow(check plan.Check) bool {
	repeated := session.Session{}
	for _, pass := range r.session.Passes {
		if pass.Index >= check.From && pass.Index < check.To {
			repeated.Passes = append(repeated.Passes, pass)
		}
	}
	groups := repeated.Alike(nil)
	for _, group := range groups {
		var rates []float64
		for _, pass := range group.Passes {
			rates = append(rates, float64(pass.BytesPerSecond))
		}
		if interval, ok := stat.RepeatInterval(rates); !ok || interval.Share() > check.Within {
			return false
		}
	}
	return len(groups) > 0
}
