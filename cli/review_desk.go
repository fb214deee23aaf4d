package cli

import (
	"encoding/json"
	"time"

	"opengauge/core/bench/host"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/review/conduct"
	"opengauge/core/review/design"
)

// claimedFor is for how long a visit is a bench's own that says nothing more.
const claimedFor = 10 * time.Minute

// reviewDesk is a review in a logbook that several benches share.
type reviewDesk struct {
	*environment
	review *reviewed
	book   *logbook.Logbook
	bench  string
}

// deskOf is the desk of a review, or nil where the logbook is a file.
func (e *environment) deskOf(r *reviewed, book *logbook.Logbook) conduct.Desk {
	if !logbook.Shared(book.Place()) {
		return nil
	}
	return &reviewDesk{e, r, book, host.BenchName()}
}

// key tells the review from others, and from itself once it was changed.
func (d *reviewDesk) key() string { return d.review.Name + " " + d.review.Definition() }

// Sessions are those of all benches.
func (d *reviewDesk) Sessions() ([]*session.Session, error) { return d.sessionsFor(d.review, d.book) }

// Take takes a visit.
func (d *reviewDesk) Take(choose func([]design.Visit) (design.Visit, bool)) (bool, error) {
	return d.book.Take(d.key(), d.bench, claimedFor, func(others []logbook.Claim) (int, any, bool) {
		taken := make([]design.Visit, 0, len(others))
		for _, each := range others {
			var v design.Visit
			if json.Unmarshal(each.Document, &v) == nil {
				taken = append(taken, v)
			}
		}
		v, ok := choose(taken)
		return v.Order, v, ok
	})
}

// Keep keeps it for longer.
func (d *reviewDesk) Keep() error { return d.book.KeepTaken(d.key(), d.bench, claimedFor) }

// GiveBack gives it back.
func (d *reviewDesk) GiveBack() error { return d.book.GiveBack(d.key(), d.bench) }

// Mine says whether a session was measured here.
func (d *reviewDesk) Mine(s *session.Session) bool {
	return s.RecordedBy != nil && s.RecordedBy.Bench == d.bench
}
