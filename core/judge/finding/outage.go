package finding

import (
	"fmt"

	"opengauge/core/bench/event"
	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
)

// aroundSeconds is how far from an outage its temperature is looked for.
const aroundSeconds = 6.0

// silence says that nothing moved for a stretch of a pass.
func silence(pass *session.Pass, s explain.Silence) session.Finding {
	lasted := s.To - s.From
	evidence := DropoutEvidence{From: &s.From, Lasted: &lasted, Errors: &s.Errors}
	end := "It did not come back within the recording."
	warm := ""
	if s.Returned {
		end = fmt.Sprintf("It came back after %.0f s.", lasted)
	}
	if h, ok := heatOf(pass); ok {
		if temperature, near := h.around(s.From, aroundSeconds); near {
			evidence.Temperature = &temperature
			warm = fmt.Sprintf(" It was at %s.", temperature)
		}
	}
	f := dropout.new(min(hundredths(s.Probability), 0.99), []int{pass.Index}, evidence)
	f.FromSeconds = s.From
	f.ToSeconds = s.To
	f.Advice = dropoutAdvice
	f.Summary = fmt.Sprintf("Nothing moved from %.0f s on: the device stopped answering.%s %s", s.From, warm, end)
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
