package finding

import (
	"fmt"

	"opengauge/core/plan"
	"opengauge/core/record/session"
)

const (
	// shortest is the least time, in seconds, that a figure is worth quoting
	// after: caches, clocks and schedulers need a moment.
	shortest = 2.0
	// fewest operations a pass needs for its tail to mean something.
	fewest = 100
)

// shortRun finds passes that are too short for their figures to be quoted.
func shortRun(s *session.Session) []session.Finding {
	passes, indexes := passesWhere(s, func(p *session.Pass) bool {
		if p.Step == plan.StepStart {
			return false // it is as long as it takes
		}
		return p.ElapsedSeconds < shortest && p.Throughput == nil || p.Operations < fewest
	})
	if len(passes) == 0 {
		return nil
	}
	least := greatest(passes, func(p *session.Pass) float64 { return -p.ElapsedSeconds })
	return []session.Finding{{
		Kind: "short-run", Severity: session.Note, Confidence: 1, Passes: indexes, ToSeconds: least.ElapsedSeconds,
		Summary: fmt.Sprintf("%s too short to quote: %s lasted %.2g s and did %d operations.",
			capitalised(numbered(passes), len(passes)), least.Label(), least.ElapsedSeconds, least.Operations),
		Evidence: map[string]any{"shortest_seconds": least.ElapsedSeconds, "operations": int(least.Operations)},
		Advice:   "Repeat with a longer --hold, or with --until-within 1%.",
	}}
}

func capitalised(count string, passes int) string {
	if passes == 1 {
		return count + " is"
	}
	return count + " are"
}
