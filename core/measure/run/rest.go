package run

import (
	"context"
	"math"
	"time"

	"opengauge/core/plan"
	"opengauge/core/unit"
)

// restStep is how often a rest looks up.
const restStep = 250 * time.Millisecond

// doRest lets the target be until the rest is over.
func doRest(r *runner, ctx context.Context, item plan.Item) (int, error) {
	rest := item.(*plan.Rest)
	began := r.main.Now()
	until := began + unit.Duration(rest.ForSeconds)
	for ctx.Err() == nil && r.main.Now() < until && !r.cooled(rest) {
		r.progress.resting(r.main.Now()-began, unit.Duration(rest.ForSeconds))
		r.pause(ctx, min(restStep, until-r.main.Now()))
	}
	return 0, nil
}

// cooled reports whether the drive is as cool as a rest asks for. One without a
// thermometer never is.
func (r *runner) cooled(rest *plan.Rest) bool {
	if rest.BelowCelsius == nil {
		return false
	}
	temperature, ok := hottest(r.request.Sensors.Temperatures())
	return ok && temperature < *rest.BelowCelsius
}

// hottest is the drive's own temperature, or else the highest that is known.
func hottest(temperatures map[string]unit.Celsius) (unit.Celsius, bool) {
	if drive, ok := temperatures["drive"]; ok {
		return drive, true
	}
	highest := unit.Celsius(math.Inf(-1))
	for _, temperature := range temperatures {
		highest = max(highest, temperature)
	}
	return highest, len(temperatures) > 0
}
