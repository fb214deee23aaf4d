package finding

import (
	"fmt"

	"opengauge/core/bench/event"
	"opengauge/core/record/session"
)

// aroundSeconds is how far from an outage its temperature is looked for.
const aroundSeconds = 6.0

// outage is a stretch in which nothing moved, or that was not recorded.
type outage struct {
	from, to float64
	errors   int64
	returned bool
	// probability is that the device did not answer, and was not just left alone.
	probability float64
}

func (o outage) finding(pass *session.Pass) session.Finding {
	lasted := o.to - o.from
	evidence := DropoutEvidence{From: &o.from, Lasted: &lasted, Errors: &o.errors}
	end, warm := "It did not come back within the recording.", ""
	if o.returned {
		end = fmt.Sprintf("It came back after %.0f s.", lasted)
	}
	if h, ok := heatOf(pass); ok {
		if temperature, near := h.around(o.from, aroundSeconds); near {
			evidence.Temperature, warm = &temperature, fmt.Sprintf(" It was at %s.", temperature)
		}
	}
	f := dropout.new(min(hundredths(o.probability), 0.99), []int{pass.Index}, evidence)
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
