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

// addRecoveries says how much of the fast write area a rest brought back, for each pass that filled it right
// after another that had.
//
// Where all is back, the rest is an upper bound of the time to recover; else the time to recover takes the
// drain to be even: rest × whole area / the part that came back.
func addRecoveries(s *session.Session, found []session.Finding) {
	var before *session.Finding
	whole := unit.Bytes(0)
	for i := range found {
		this := &found[i]
		if this.Kind != cacheExhausted.Name {
			continue
		}
		evidence, _ := EvidenceOf[CacheExhaustedEvidence](*this)
		if before == nil {
			whole = evidence.FastArea
		} else if rest, adjacent := restBetween(s, before.Passes[0], this.Passes[0]); adjacent &&
			rest >= leastRestSeconds {
			addRecovery(this, evidence, whole, rest)
		}
		before = this
	}
}

func addRecovery(f *session.Finding, evidence CacheExhaustedEvidence, whole unit.Bytes, rest float64) {
	share := float64(evidence.FastArea) / float64(whole)
	evidence.RestBefore = rest
	evidence.Returned = min(share, 1)
	if share >= wholeArea {
		evidence.RecoversWithin = rest
		f.Summary += fmt.Sprintf(" The rest of %.0f s before had brought all of it back.", rest)
	} else {
		evidence.RecoversAfter = rest / share
		f.Summary += fmt.Sprintf(" The rest of %.0f s before had brought back %.0f %% of it; all of it takes "+
			"about %.0f s.",
			rest, share*100, rest/share)
	}
	f.Evidence = session.NewEvidence(evidence)
}

// restBetween gives the seconds between two passes, and whether they are alike
// and nothing was measured between them.
func restBetween(s *session.Session, before, after int) (seconds float64, adjacent bool) {
	for i := 1; i < len(s.Passes); i++ {
		a, b := &s.Passes[i-1], &s.Passes[i]
		if a.Index == before && b.Index == after {
			return b.StartedSeconds - a.StartedSeconds - a.ElapsedSeconds, a.Block == b.Block &&
				a.Operation == b.Operation
		}
	}
	return 0, false
}
