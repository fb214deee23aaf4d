package finding

import (
	"fmt"

	"opengauge/core/record/session"
)

// longestSilence is how long a pass may move nothing before the device is taken
// to have stopped answering.
const longestSilence = 4.0

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
	for _, sample := range pass.Samples {
		begins := sample.TSeconds - sample.ElapsedSeconds
		if gap := begins - last; gap > longestSilence && last > 0 {
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

// silences reports outages that no event told of: in a recording, a device that
// vanishes shows as a stretch of nothing.
func silences(s *session.Session) []session.Finding {
	var found []session.Finding
	for at := range s.Passes {
		pass := &s.Passes[at]
		for _, o := range outages(pass) {
			if told(s, pass.StartedSeconds+o.from, pass.StartedSeconds+o.to) {
				continue
			}
			f := session.Finding{
				Kind: "dropout", Severity: session.Fault, Confidence: 0.9, Passes: []int{pass.Index}, FromSeconds: o.from, ToSeconds: o.to,
				Evidence: map[string]any{"from_seconds": o.from, "lasted_seconds": o.to - o.from, "errors": int(o.errors)},
				Advice:   dropoutAdvice,
			}
			end := "It did not come back within the recording."
			if o.returned {
				end = fmt.Sprintf("It came back after %.0f s.", o.to-o.from)
			}
			warm := ""
			if h, known := heatOf(pass); known {
				if temperature, near := h.around(o.from, 2*aroundSeconds); near {
					warm = fmt.Sprintf(" It was at %s.", temperature)
					f.Evidence["temperature_celsius"] = temperature
				}
			}
			f.Summary = fmt.Sprintf("Nothing moved from %.0f s on: the device stopped answering.%s %s", o.from, warm, end)
			found = append(found, f)
		}
	}
	return found
}

// told says whether an event of the session is about an outage.
func told(s *session.Session, from, to float64) bool {
	const around = 15
	for _, event := range s.Events {
		if (event.Kind == session.EventDropout || event.Kind == session.EventStall) && event.TSeconds > from-around && event.TSeconds < to+around {
			return true
		}
	}
	return false
}
