package finding

import (
	"fmt"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var hostBound = Kind{
	Name:     "host-bound",
	Says:     "the computer, not the storage, is the limit",
	Severity: session.Caution,
	Weighty:  true,
	Settles:  "repeat with more --workers, or with a larger block size",
	Evidence: HostBoundEvidence{},
}

// HostBoundEvidence is how busy the processors were.
type HostBoundEvidence struct {
	Busy        float64 `json:"processor_busy_share"`
	Time        float64 `json:"processor_time_seconds"`
	AnOperation float64 `json:"processor_an_operation_seconds"`
	Workers     int     `json:"workers"`
}

// busyShare is the share of a worker's time on a processor from which on the
// computer, and not the storage, set the pace.
const busyShare = 0.93

// threadPool is the queue whose threads share all processors.
const threadPool = "thread pool"

// findHostBound finds passes that were busy computing all the time, so that the
// storage was never waited for: each worker on its own processor, or a pool of
// threads on all of them.
func findHostBound(s *session.Session, _ unit.Notation) []session.Finding {
	busy := func(pass *session.Pass) float64 {
		if pass.ElapsedSeconds <= 0 || pass.Scheduled() {
			return 0
		}
		processors := max(pass.Workers, 1)
		if pass.Queue == threadPool {
			processors = max(s.Environment.Processors, processors)
		}
		return pass.CPUSeconds / pass.ElapsedSeconds / float64(processors)
	}
	passes, indexes := passesWhere(s, func(pass *session.Pass) bool { return busy(pass) >= busyShare })
	if len(passes) == 0 {
		return nil
	}
	worst := greatest(passes, busy)
	f := hostBound.new(0.9, indexes, HostBoundEvidence{
		Busy: busy(worst), Time: worst.CPUSeconds, AnOperation: worst.CPUSeconds / float64(max(worst.Operations, 1)),
		Workers: worst.Workers,
	})
	f.ToSeconds = worst.ElapsedSeconds
	f.Summary = fmt.Sprintf("In %s the computer was the limit: in %s, its processors were busy for %.0f %% of "+
		"the time, "+
		"and hardly waited for the storage.", numberSeveral(passes), worst.Label(), busy(worst)*100)
	f.Advice = "Repeat with more --workers, or with a larger block size: if the figure rises, it was the " +
		"computer's and not the storage's."
	return []session.Finding{f}
}
