package finding

import (
	"fmt"

	"opengauge/core/record/session"
)

// busyShare is the share of a worker's time on a processor from which on the
// computer, and not the storage, set the pace.
const busyShare = 0.93

// threadPool is the queue whose threads share all processors.
const threadPool = "thread pool"

// hostBound finds passes that were busy computing all the time, so that the
// storage was never waited for: each worker on its own processor, or a pool of
// threads on all of them.
func hostBound(s *session.Session) []session.Finding {
	busy := func(pass *session.Pass) float64 {
		if pass.ElapsedSeconds <= 0 || pass.RatePerSecond > 0 {
			return 0
		}
		processors := max(pass.Workers, 1)
		if pass.Queue == threadPool {
			processors = max(s.Environment.Processors, processors)
		}
		return pass.CPUSeconds / pass.ElapsedSeconds / float64(processors)
	}
	passes, indexes := passesWhere(s, func(pass *session.Pass) bool {
		return busy(pass) >= busyShare
	})
	if len(passes) == 0 {
		return nil
	}
	worst := greatest(passes, busy)
	return []session.Finding{{
		Kind: "host-bound", Severity: session.Caution, Confidence: 0.9, Passes: indexes, ToSeconds: worst.ElapsedSeconds,
		Summary: fmt.Sprintf("In %s the computer was the limit: in %s, its processors were busy for %.0f %% of the time, and hardly waited for the storage.",
			numbered(passes), worst.Label(), busy(worst)*100),
		Evidence: map[string]any{
			"processor_busy_share":           busy(worst),
			"processor_time_seconds":         worst.CPUSeconds,
			"processor_an_operation_seconds": worst.CPUSeconds / float64(max(worst.Operations, 1)),
			"workers":                        worst.Workers,
		},
		Advice: "Repeat with more --workers, or with a larger block size: if the figure rises, it was the computer's and not the storage's.",
	}}
}
