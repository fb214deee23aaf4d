package finding

import (
	"fmt"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

const (
	// leastRestSeconds is the shortest rest from which a recovery is judged.
	leastRestSeconds = 5.0
	// wholeArea is the share of the first pass's fast area from which it counts
	// as all back.
	wholeArea = 0.9
)

// addRecoveries says how much of the fast write area a rest brought back, for
// each pass that filled it right after another that had.
//
// Where all is back, the rest is an upper bound of the time to recover; else the
// time to recover takes the drain to be even: rest × whole area / what came back.
func addRecoveries(s *session.Session, found []session.Finding) {
	var first, before *session.Finding
	for at := range found {
		this := &found[at]
		if this.Kind != "cache-exhausted" {
			continue
		}
		if first == nil {
			first = this
		} else if rest, adjacent := restBetween(s, before.Passes[0], this.Passes[0]); adjacent && rest >= leastRestSeconds {
			addRecovery(this, first.Evidence["fast_area_bytes"].(unit.Bytes), rest)
		}
		before = this
	}
}

func addRecovery(f *session.Finding, whole unit.Bytes, rest float64) {
	back := f.Evidence["fast_area_bytes"].(unit.Bytes)
	share := float64(back) / float64(whole)
	f.Evidence["rest_before_seconds"], f.Evidence["returned_share"] = rest, min(share, 1)
	if share >= wholeArea {
		f.Evidence["recovers_within_seconds"] = rest
		f.Summary += fmt.Sprintf(" The rest of %.0f s before had brought all of it back.", rest)
		return
	}
	f.Evidence["recovers_after_seconds"] = rest / share
	f.Summary += fmt.Sprintf(" The rest of %.0f s before had brought back %.0f %% of it; all of it takes about %.0f s.", rest, share*100, rest/share)
}

// restBetween gives the seconds between two passes, and whether they are alike
// and nothing was measured between them.
func restBetween(s *session.Session, before, after int) (seconds float64, adjacent bool) {
	for at := 1; at < len(s.Passes); at++ {
		a, b := &s.Passes[at-1], &s.Passes[at]
		if a.Index == before && b.Index == after {
			return b.StartedSeconds - a.StartedSeconds - a.ElapsedSeconds, a.BlockBytes == b.BlockBytes && a.Operation == b.Operation
		}
	}
	return 0, false
}
