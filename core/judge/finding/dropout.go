package finding

import (
	"fmt"
	"strings"

	"opengauge/core/record/session"
)

// dropoutAdvice is what to do, whoever noticed that the device was gone.
const dropoutAdvice = "Check cable, power and heat, and repeat. If it happens again at the same temperature or after the same time, that is what to change first."

// dropout reports that the device stopped answering or vanished, from the
// events that the runner noted.
func dropout(s *session.Session) []session.Finding {
	var found []session.Finding
	for at, event := range s.Events {
		if event.Kind != session.EventDropout && event.Kind != session.EventStall {
			continue
		}
		pass, since := passAt(s, event.TSeconds)
		finding := session.Finding{
			Kind: "dropout", Severity: session.Fault, Confidence: 0.95, FromSeconds: since, ToSeconds: since,
			Evidence: map[string]any{"at_seconds": event.TSeconds},
			Advice:   dropoutAdvice,
		}
		what := "The device stopped answering"
		if event.Kind == session.EventDropout {
			what = "The device vanished"
		}
		summary := []string{fmt.Sprintf("%s %.0f s into the session (%s).", what, event.TSeconds, event.Detail)}
		if pass != nil {
			finding.Passes = []int{pass.Index}
			if temperature, known := lastTemperature(pass); known {
				finding.Evidence["temperature_celsius"] = temperature
				summary = append(summary, fmt.Sprintf("It was at %s.", temperature))
			}
		}
		summary = append(summary, afterwards(s.Events[at+1:], event, &finding))
		finding.Summary = strings.Join(summary, " ")
		found = append(found, finding)
	}
	return found
}

// afterwards says how a dropout ended.
func afterwards(later []session.Event, dropped session.Event, finding *session.Finding) string {
	for _, event := range later {
		if event.Kind == session.EventReturn {
			away := event.TSeconds - dropped.TSeconds
			finding.ToSeconds += away
			finding.Evidence["away_seconds"] = away
			return fmt.Sprintf("It came back after %.1f s.", away)
		}
	}
	return "It did not come back while it was waited for."
}
