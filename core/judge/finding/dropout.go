package finding

import (
	"fmt"
	"strings"

	"opengauge/core/bench/event"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// DropoutKind is the name of the kind.
const DropoutKind = "dropout"

var dropout = Kind{
	Name:       DropoutKind,
	Says:       "the device stopped answering or vanished; says when, how warm, how it came back",
	Severity:   session.Fault,
	EndsStream: true,
	Marks:      HeatTrace,
	Settles:    "check cable, power and heat, and repeat",
	Evidence:   DropoutEvidence{},
}

// DropoutEvidence says when it was, how warm, and for how long.
type DropoutEvidence struct {
	At          *float64      `json:"at_seconds,omitempty"`
	From        *float64      `json:"from_seconds,omitempty"`
	Lasted      *float64      `json:"lasted_seconds,omitempty"`
	Away        *float64      `json:"away_seconds,omitempty"`
	Temperature *unit.Celsius `json:"temperature_celsius,omitempty"`
	Errors      *int64        `json:"errors,omitempty"`
}

// dropoutAdvice is the advice, whoever noticed that the device was gone.
const dropoutAdvice = "Check cable, power and heat, and repeat. If it happens again at the same temperature or " +
	"after the same time, " +
	"that is what to change first."

// findDropouts reports that the device stopped answering or vanished, from the
// events that the runner noted.
func findDropouts(s *session.Session, _ unit.Notation) []session.Finding {
	var found []session.Finding
	for i, e := range s.Events {
		if e.Kind != event.Dropout && e.Kind != event.Stall {
			continue
		}
		pass, since := passAt(s, e.TSeconds)
		what := "The device stopped answering"
		if e.Kind == event.Dropout {
			what = "The device vanished"
		}
		evidence := DropoutEvidence{At: &e.TSeconds}
		passes := []int(nil)
		sentences := []string{fmt.Sprintf("%s %.0f s into the session (%s).", what, e.TSeconds, e.Detail)}
		if pass != nil {
			passes = []int{pass.Index}
			if temperature, ok := lastTemperature(pass); ok {
				evidence.Temperature = &temperature
				sentences = append(sentences, fmt.Sprintf("It was at %s.", temperature))
			}
		}
		end := "It did not come back while it was waited for."
		away, returned := awayUntil(s.Events[i+1:], e)
		if returned {
			evidence.Away = &away
			end = fmt.Sprintf("It came back after %.1f s.", away)
		}
		if stranger := strangerIn(s.Events[i+1:]); !returned && stranger != "" {
			end = "It did not come back; " + stranger + "."
		}
		f := dropout.new(0.95, passes, evidence)
		f.FromSeconds = since
		f.ToSeconds = since + away
		f.Summary = strings.Join(append(sentences, end), " ")
		f.Advice = dropoutAdvice
		found = append(found, f)
	}
	return found
}

// strangerIn describes the device found in another's place, or is empty.
func strangerIn(later []session.Event) string {
	for _, e := range later {
		if e.Kind == event.Stranger {
			return e.Detail
		}
	}
	return ""
}

// awayUntil is how long a device was away, and whether it came back.
func awayUntil(later []session.Event, dropped session.Event) (seconds float64, returned bool) {
	for _, e := range later {
		if e.Kind == event.Return {
			return e.TSeconds - dropped.TSeconds, true
		}
	}
	return 0, false
}
