package cli

import (
	"encoding/json"
	"errors"
	"fmt"
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
	// known are sessions that change no more.
	known map[string]*session.Session
}

// deskOf is the desk of a review, or nil where the logbook is a file.
func (e *environment) deskOf(r *reviewed, book *logbook.Logbook, known []*session.Session) conduct.Desk {
	if !logbook.Shared(book.Place()) {
		return nil
	}
	d := &reviewDesk{e, r, book, host.BenchName(), map[string]*session.Session{}}
	d.remember(known)
	return d
}

// remember keeps those that are of no review, and over.
func (d *reviewDesk) remember(sessions []*session.Session) {
	for _, s := range sessions {
		if s.Review == nil && s.State == session.Complete {
			d.known[s.ID] = s
		}
	}
}

// key tells the review from others, and from itself once it was changed.
func (r *reviewed) key() string { return r.Name + " " + r.Definition() }

// reviewTurn keeps this machine's other guides of the review away until end is called. Claims are
// told apart by the bench's name alone, so both guides would make the same visits.
func (e *environment) reviewTurn(r *reviewed) (end func() error, err error) {
	place, err := e.path()
	if err != nil {
		return nil, err
	}
	bench := host.BenchName()
	end, err = logbook.Turn(place, bench+" "+r.key())
	if !errors.Is(err, logbook.ErrTurn) {
		return end, err
	}
	hint := "end that one first"
	if logbook.Shared(place) {
		hint += ", or give this one a bench's name of its own with $OPENGAUGE_BENCH_NAME"
	}
	return end, fmt.Errorf("this review is led through already by another program, as the bench %s; %s", bench, hint)
}

// Sessions returns the sessions of all benches.
func (d *reviewDesk) Sessions() ([]*session.Session, error) {
	sessions, err := sessionsFor(d.review, d.book, d.known)
	d.remember(sessions)
	return sessions, err
}

// Away says whether its server is, so that it is to be asked again.
func (d *reviewDesk) Away(err error) bool { return errors.Is(err, logbook.ErrAway) }

// Take takes a visit, after storing the sessions that this bench kept while the server was away.
func (d *reviewDesk) Take(choose func([]design.Visit) (design.Visit, bool)) (bool, error) {
	left := d.takeIn(d.book)
	if d.Away(left) {
		return false, left
	}
	d.tellLeft(left)
	return d.book.Take(d.review.key(), d.bench, claimedFor, func(others []logbook.Claim) (int, any, bool) {
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
func (d *reviewDesk) Keep() error { return d.book.KeepTaken(d.review.key(), d.bench, claimedFor) }

// GiveBack gives it back.
func (d *reviewDesk) GiveBack() error { return d.book.GiveBack(d.review.key(), d.bench) }

// Mine says whether a session was measured here.
func (d *reviewDesk) Mine(s *session.Session) bool {
	return s.RecordedBy != nil && s.RecordedBy.Bench == d.bench
}
