package run

import (
	"context"
	"maps"
	"math"
	"time"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// restStep is how often a rest looks up.
const restStep = 250 * time.Millisecond

// doRest lets the target be until the rest is over, and keeps the readings meanwhile.
func doRest(r *runner, ctx context.Context, item plan.Item) (int, error) {
	rest := item.(*plan.Rest)
	began := r.main.Now()
	until := began + unit.Duration(rest.ForSeconds)
	record := session.Rest{StartedSeconds: (began - r.began).Seconds(), After: len(r.session.Passes) - 1,
		Samples: []session.RestSample{}}
	r.forgetTracks()
	due := began
	for ctx.Err() == nil && r.main.Now() < until && !r.cooled(rest) {
		if r.main.Now() >= due {
			record.Samples = append(record.Samples, r.restSample(began))
			due += r.request.Sample
		}
		r.progress.resting(r.main.Now()-began, unit.Duration(rest.ForSeconds))
		r.pause(ctx, min(restStep, until-r.main.Now()))
	}
	record.Samples = append(record.Samples, r.restSample(began))
	record.ElapsedSeconds = (r.main.Now() - began).Seconds()
	record.Tracks = r.tracks(began, record.ElapsedSeconds)
	r.session.Rests = append(r.session.Rests, record)
	return 0, nil
}

func (r *runner) restSample(began time.Duration) session.RestSample {
	sample := session.RestSample{TSeconds: (r.main.Now() - began).Seconds(),
		TemperaturesCelsius: map[string]unit.Celsius{}, Readings: r.request.Sensors.Readings()}
	maps.Copy(sample.TemperaturesCelsius, r.request.Sensors.Temperatures())
	if len(sample.Readings) == 0 {
		sample.Readings = nil
	}
	return sample
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
