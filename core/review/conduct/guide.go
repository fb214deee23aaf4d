// Package conduct leads through a review: it says how to put the bench together, checks that, waits until it
// is as it was, measures, and goes on, until the answer is as sure as was asked. It may stop anywhere, as its
// state is the sessions that were kept.
//
// A [Guide] and its bench belong to the goroutine that runs them.
package conduct

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/answer"
	"opengauge/core/review/design"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
)

// Step is a visit with the work to be done for it.
type Step struct {
	design.Visit
	Cell review.Cell
	// From is the cell that the bench is on; without levels it is none.
	From         review.Cell
	Instructions []string
	// Several says that more than one thing is measured.
	Several bool
	// Seen is the survey's result at the cell's first visit.
	Seen []string
}

// Checked is the facts made sure of before a visit.
type Checked struct {
	// Seen is the survey's part, and Asked the part that hands confirmed.
	Seen, Asked []string
}

// Before is how a cell's storage was at its first visit, and its last use.
type Before struct {
	// Start is how warm it was when the cell's first visit began; nil is not known.
	Start *unit.Celsius
	// Least is for how long it has to rest, as long as it was used, and Most for how long it
	// rests at the most.
	Least, Most time.Duration
	// Free is how much was free where it is measured; 0 is not known.
	Free unit.Bytes
}

// Prepared is how a cell's storage is now.
type Prepared struct {
	Start, Ambient *unit.Celsius
	// Unprepared lists differences from the first visit.
	Unprepared []string
}

// Bench is where a review is made: hands that put parts together, and a machine that sees
// and measures them.
type Bench interface {
	// Here says which day it is, and which hosts are at hand.
	Here() design.Here
	// PutTogether has a cell put together and makes sure that it is.
	PutTogether(ctx context.Context, step Step) (Checked, error)
	// Prepare waits until the storage is as it was.
	Prepare(ctx context.Context, step Step, before Before) (Prepared, error)
	// Measure measures once and keeps the session, which carries the mark.
	Measure(ctx context.Context, step Step, m *review.Measurement, mark session.Visit) (*session.Session, error)
}

// Guide leads through a review.
type Guide struct {
	Design *design.Design
	Bench  Bench
	// Sessions are the sessions that there are; new ones are added.
	Sessions []*session.Session
	// Tell is called at each step, and once a visit is over; it may be nil.
	Tell func(Event)
	// Most is how many visits are made at the most; 0 does not bound it.
	Most int
	// Desk is shared with others who work on the same review at other benches; nil is nobody.
	Desk Desk

	reader *reading.Reader
}

// Desk is shared by several benches that work on one review.
type Desk interface {
	// Sessions are those that there are now, of all benches.
	Sessions() ([]*session.Session, error)
	// Take takes the visit that choose gives, knowing those that other benches have taken; it is
	// taken for a while only, and by nobody else. It is false where choose gives none.
	Take(choose func(taken []design.Visit) (design.Visit, bool)) (bool, error)
	// Keep keeps the visit taken for longer.
	Keep() error
	// GiveBack gives back the visit taken.
	GiveBack() error
	// Away says whether an error means only that it cannot be asked now.
	Away(err error) bool
	// Mine says whether a session was measured at this bench.
	Mine(s *session.Session) bool
}

// Event is an event of a review.
type Event struct {
	Step Step
	// Answer is set once a visit is over, or none comes.
	Answer *answer.Answer
	// Void is why the visit that is over does not count, or empty.
	Void string
	// Ends is why no visit comes.
	Ends string
	// Waits is for whom the bench waits, or empty.
	Waits string
}

// Look says how a review stands, and which step comes next; without one it says why.
func (g *Guide) Look() (reading.State, answer.Answer, Step, string) { return g.look(nil) }

// look is that, while others make visits.
func (g *Guide) look(taken []design.Visit) (reading.State, answer.Answer, Step, string) {
	st := g.state()
	a := answer.Of(g.Design, &st)
	here := g.Bench.Here()
	here.Taken = taken
	visit, ends := answer.Goes(g.Design, &st, &a, here)
	if ends != "" {
		return st, a, Step{}, ends
	}
	return st, a, g.step(visit, &st), ""
}

func (g *Guide) state() reading.State {
	if g.reader == nil {
		g.reader = reading.NewReader(&g.Design.Review)
	}
	return g.reader.Of(g.Sessions)
}

func (g *Guide) step(v design.Visit, st *reading.State) Step {
	s := Step{Visit: v, Several: len(g.Design.Review.Measure) > 1}
	s.Cell, _ = g.Design.Review.Cell(v.Cell)
	for i := range st.Visits {
		if last := &st.Visits[i]; !last.Adopted && (g.Desk == nil || g.Desk.Mine(last.Sessions[0])) {
			s.From, _ = g.Design.Review.Cell(last.Cell)
			if first := last.Sessions[0].Review; last.Cell == v.Cell && s.Seen == nil {
				s.Seen = first.Seen
			}
		}
	}
	s.Instructions = design.Instructions(&s.From, &s.Cell)
	return s
}

// mostVoid is how often in a row a visit may be for nothing.
const mostVoid = 4

// Run goes through the review until it is over, and says why it is. Where it ends early
// all that was measured is kept.
func (g *Guide) Run(ctx context.Context) (answer.Answer, string, error) {
	for void, made := 0, 0; ; made++ {
		if g.Most > 0 && made == g.Most {
			g.reread()
			_, a, _, ends := g.Look()
			if ends == "" {
				ends = unit.Count(g.Most, "visit was", "visits were") + " asked for"
			}
			g.tell(Event{Answer: &a, Ends: ends})
			return a, ends, nil
		}
		st, a, step, ends, err := g.next(ctx)
		if err != nil {
			return a, "", err
		}
		if ends != "" {
			g.tell(Event{Answer: &a, Ends: ends})
			return a, ends, nil
		}
		g.tell(Event{Step: step})
		if err := g.holdVisit(ctx, func() error { return g.visit(ctx, step, &st) }); err != nil {
			return a, "", err
		}
		over := step
		st, a, _, _ = g.Look()
		why := voidOf(&st, over)
		g.tell(Event{Step: over, Answer: &a, Void: why})
		if void++; why == "" {
			void = 0
		}
		if void == mostVoid {
			return a, "", fmt.Errorf("%d visits in a row do not count, the last of %s because %s; see to that, and go on with "+
				"the same command", mostVoid, over.Cell.Name, why)
		}
	}
}

const (
	// askAgain is how long a bench waits before it looks again at the visits that others left.
	askAgain = 2 * time.Second
	// awayFor is how long it waits for a desk that cannot be asked.
	awayFor = time.Hour
)

// next is the visit that this bench makes next, which it has taken then. Where all that is left
// is at other benches it waits for them.
func (g *Guide) next(ctx context.Context) (st reading.State, a answer.Answer, step Step, ends string, err error) {
	if g.Desk == nil {
		st, a, step, ends = g.Look()
		return st, a, step, ends, nil
	}
	told := false
	away := false
	asked := time.Now()
	for {
		others := 0
		unread := error(nil)
		took, err := g.Desk.Take(func(taken []design.Visit) (design.Visit, bool) {
			// Visits that are not taken now were kept whole before.
			if unread = g.takeIn(taken); unread != nil {
				return design.Visit{}, false
			}
			others = len(taken)
			st, a, step, ends = g.look(taken)
			return step.Visit, ends == ""
		})
		if err == nil { // a desk that cannot be asked cannot be read either
			err = unread
		}
		why := "what is left waits for what " + unit.Count(others, "other has", "others have")
		switch {
		case err != nil && (!g.Desk.Away(err) || time.Since(asked) > awayFor):
			return st, a, step, ends, err
		case err != nil:
			why = fmt.Sprintf("it goes on when the other visits can be seen again: %v", err)
		case took || others == 0 || a.Decided():
			return st, a, step, ends, nil
		default:
			asked = time.Now()
		}
		if !told || away != (err != nil) {
			told = true
			away = err != nil
			g.tell(Event{Waits: why})
		}
		select {
		case <-ctx.Done():
			return st, a, step, "", context.Cause(ctx)
		case <-time.After(askAgain):
		}
	}
}

// reread takes in the visits that other benches made meanwhile. A desk that cannot be asked changes nothing.
func (g *Guide) reread() {
	if g.Desk == nil {
		return
	}
	_, _ = g.Desk.Take(func(taken []design.Visit) (design.Visit, bool) {
		_ = g.takeIn(taken)
		return design.Visit{}, false
	})
}

// takeIn takes in the sessions of the desk, without the visits that are being made.
func (g *Guide) takeIn(taken []design.Visit) error {
	all, err := g.Desk.Sessions()
	if err == nil {
		g.Sessions = over(all, taken)
	}
	return err
}

// over are the sessions of visits that nobody is making now.
func over(all []*session.Session, taken []design.Visit) []*session.Session {
	return slices.DeleteFunc(slices.Clone(all), func(s *session.Session) bool {
		return s.Review != nil && slices.ContainsFunc(taken, func(v design.Visit) bool {
			return v.Order == s.Review.Order && v.Cell == s.Review.Cell
		})
	})
}

// keepEvery is how often a visit that goes on is kept from being given back.
const keepEvery = time.Minute

// holdVisit makes a visit that this bench has taken, and gives it back in the end, whatever came of it.
func (g *Guide) holdVisit(ctx context.Context, visit func() error) error {
	if g.Desk == nil {
		return visit()
	}
	visiting, stop := context.WithCancel(ctx)
	kept := make(chan struct{})
	go func() {
		defer close(kept)
		for {
			select {
			case <-visiting.Done():
				return
			case <-time.After(keepEvery):
				_ = g.Desk.Keep() // it is tried again before it is too late
			}
		}
	}()
	err := visit()
	stop()
	<-kept
	back := g.Desk.GiveBack()
	if back != nil && g.Desk.Away(back) { // it is over by itself, or with what this bench takes next
		back = nil
	}
	return errors.Join(err, back)
}

// voidOf says why a visit does not count, or nothing.
func voidOf(st *reading.State, step Step) string {
	for i := range st.Visits {
		if st.Visits[i].Order == step.Order {
			return st.Visits[i].Void
		}
	}
	return ""
}

func (g *Guide) tell(e Event) {
	if g.Tell != nil {
		g.Tell(e)
	}
}

// visit makes one visit.
func (g *Guide) visit(ctx context.Context, step Step, st *reading.State) error {
	checked, err := g.Bench.PutTogether(ctx, step)
	if err != nil {
		return err
	}
	prepared, err := g.Bench.Prepare(ctx, step, g.before(step, st))
	if err != nil {
		return err
	}
	r := &g.Design.Review
	for i := range r.Measure {
		for turn := 1; turn <= r.Measure[i].Times; turn++ {
			mark := session.Visit{
				Name: r.Name, Cell: step.Cell.Name, Visit: step.Number, Order: step.Order, Definition: r.Definition(),
				Measurement: r.Measure[i].Name, Turn: turn, Day: step.Day, Control: step.Control,
				StartCelsius: prepared.Start, AmbientCelsius: prepared.Ambient, Unprepared: prepared.Unprepared,
				Seen: checked.Seen, Asked: checked.Asked, WrittenBytes: g.writtenOf(step.Cell.Storage()),
			}
			s, err := g.Bench.Measure(ctx, step, &r.Measure[i], mark)
			if s != nil {
				g.Sessions = append(g.Sessions, s)
			}
			if err == nil && ctx.Err() != nil {
				err = context.Cause(ctx)
			}
			if failed := (Failed{}); errors.As(err, &failed) {
				return nil // an answer too
			}
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// Failed says that the storage failed while it was measured, and that this is kept.
type Failed struct{ Cause error }

func (f Failed) Error() string { return f.Cause.Error() }

// Unwrap gives the cause.
func (f Failed) Unwrap() error { return f.Cause }

// before is how a cell's storage was at the cell's first visit, and how long it was used at
// its last one.
func (g *Guide) before(step Step, st *reading.State) Before {
	seen := false
	b := Before{Most: g.Design.Review.Budget.RestMost}
	for i := range st.Visits {
		v := &st.Visits[i]
		c, _ := g.Design.Review.Cell(v.Cell)
		if v.Adopted || len(v.Sessions) == 0 {
			continue
		}
		if first := v.Sessions[0].Review; v.Cell == step.Visit.Cell && !seen {
			b.Start = first.StartCelsius
			b.Free = first.FreeBytes
			seen = true
		}
		if c.Storage() == step.Cell.Storage() {
			b.Least = 0
			for _, s := range v.Sessions {
				b.Least += usedFor(s)
			}
		}
	}
	return b
}

// usedFor is for how long a session used its storage. One whose program died does not say when
// it ended, but for its passes.
func usedFor(s *session.Session) time.Duration {
	if !s.Ended.Before(s.Started) {
		return unit.Duration(s.ElapsedSeconds())
	}
	last := 0.0
	for i := range s.Passes {
		last = max(last, s.Passes[i].StartedSeconds+s.Passes[i].ElapsedSeconds)
	}
	return unit.Duration(last)
}

// writtenOf is how much the review has written to a storage.
func (g *Guide) writtenOf(storage string) unit.Bytes {
	sum := unit.Bytes(0)
	for _, s := range g.Sessions {
		if s.Review == nil || s.Review.Name != g.Design.Review.Name {
			continue
		}
		c, _ := g.Design.Review.Cell(s.Review.Cell)
		if c.Storage() != storage {
			continue
		}
		for _, m := range s.Moved {
			sum += m.WrittenBytes
		}
	}
	return sum
}
