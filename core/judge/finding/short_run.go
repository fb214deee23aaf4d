package finding

import (
	"fmt"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var shortRun = Kind{
	Name:     "short-run",
	Says:     "too short for its figure to be worth quoting",
	Severity: session.Note,
	Settles:  "repeat with a longer --hold, or with --until-within 1%",
	Evidence: ShortRunEvidence{},
}

// ShortRunEvidence is of the shortest pass.
type ShortRunEvidence struct {
	Shortest   float64 `json:"shortest_seconds"`
	Operations int64   `json:"operations"`
}

const (
	// shortest is the least time, in seconds, that a figure is worth quoting
	// after: caches, clocks and schedulers need a moment.
	shortest = 2.0
	// fewest operations a pass needs for its tail to mean something.
	fewest = 100
)

// findShortRun finds passes that are too short for their figures to be quoted.
func findShortRun(s *session.Session, _ unit.Notation) []session.Finding {
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
	are := "are"
	if len(passes) == 1 {
		are = "is"
	}
	f := shortRun.new(1, indexes, ShortRunEvidence{least.ElapsedSeconds, least.Operations})
	f.ToSeconds = least.ElapsedSeconds
	f.Summary = fmt.Sprintf("%s %s too short to quote: %s lasted %s and did %s.",
		numberSeveral(passes), are, least.Label(), unit.Stretch(least.ElapsedSeconds),
		unit.Count(int(least.Operations), "operation"))
	f.Advice = "Repeat with a longer --hold, or with --until-within 1%."
	return []session.Finding{f}
}
