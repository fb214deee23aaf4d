package finding

import (
	"fmt"

	"opengauge/core/bench/event"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// longestSilence is how long a pass may move nothing before the device is taken
// to have stopped answering.
const longestSilence = 4.0

// recordedElsewhere is the step of a recording, in whose gaps nobody looked.
const recordedElsewhere = "series"

// outage is a stretch in which nothing moved, or that was not recorded.
type outage struct {
	from, to float64
	errors   int64
	returned bool
}

// outages finds the stretches of a pass in which nothing moved.
func outages(pass *session.Pass) []outage {
	var found []outage
	last, silent, errors := 0.0, -1.0, int64(0)
	// Records of older programs have samples of nothing while a cache was flushed.
	writing := pass.ElapsedSeconds - pass.FlushSeconds
	for _, sample := range pass.Samples {
		begins := sample.TSeconds - sample.ElapsedSeconds
		if pass.FlushSeconds > 0 && begins >= writing-sample.ElapsedSeconds && sample.Bytes == 0 {
			break
		}
		if gap := begins - last; gap > longestSilence && last > 0 && pass.Step != recordedElsewhere {
			found = append(found, outage{from: last, to: begins, returned: true})
		}
		last = sample.TSeconds
		if sample.BytesPerSecond == 0 {
			if silent < 0 {
				silent = begins
			}
			errors += sample.Errors
			continue
		}
		if silent >= 0 && begins-silent >= longestSilence {
			found = append(found, outage{from: silent, to: begins, errors: errors, returned: true})
		}
		silent, errors = -1, 0
	}
	if silent > 0 && last-silent >= longestSilence {
		found = append(found, outage{from: silent, to: last, errors: errors})
	}
	return found
}

// findSilences reports outages that no event told of: in a recording, a device that
// vanishes shows as a stretch of nothing.
func findSilences(s *session.Session, _ unit.Notation) []session.Finding {
	var found []session.Finding
	for i := range s.Passes {
		pass := &s.Passes[i]
		for _, o := range outages(pass) {
			if !told(s, pass.StartedSeconds+o.from, pass.StartedSeconds+o.to) {
				found = append(found, o.finding(pass))
			}
		}
	}
	return found
}

func (o outage) finding(pass *session.Pass) session.Finding {
	lasted := o.to - o.from
	evidence := DropoutEvidence{From: &o.from, Lasted: &lasted, Errors: &o.errors}
	end, warm := "It did not come back within the recording.", ""
	if o.returned {
		end = fmt.Sprintf("It came back after %.0f s.", lasted)
	}
	if h, ok := heatOf(pass); ok {
		if temperature, near := h.around(o.from, 2*aroundSeconds); near {
			evidence.Temperature, warm = &temperature, fmt.Sprintf(" It was at %s.", temperature)
		}
	}
	f := dropout.new(0.9, []int{pass.Index}, evidence)
	f.FromSeconds, f.ToSeconds, f.Advice = o.from, o.to, dropoutAdvice
	f.Summary = fmt.Sprintf("Nothing moved from %.0f s on: the device stopped answering.%s %s", o.from, warm, end)
	return f
}

// told reports whether an event of the session is about an outage.
func told(s *session.Session, from, to float64) bool {
	const around = 15
	for _, e := range s.Events {
		if (e.Kind == event.Dropout || e.Kind == event.Stall) && e.TSeconds > from-around && e.TSeconds < to+around {
			return true
		}
	}
	return false
}
