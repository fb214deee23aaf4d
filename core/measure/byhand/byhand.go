// Package byhand keeps copies that somebody timed with a stopwatch, where the program cannot
// run: on a tablet, a camera, a console. They are sessions like others, marked as timed by
// hand, with what a reaction makes uncertain in every time.
//
// A [Record] belongs to one goroutine.
package byhand

import (
	"errors"
	"fmt"
	"maps"
	"time"

	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/load/fileset"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Within is by how much a time is off that a practised hand takes, in seconds: reactions to
// what one sees differ by about that much (Luce, Response Times, 1986, chapter 2).
const Within = 0.2

// Bounds of a time that is taken by hand, in seconds, and of its uncertainty.
const (
	LongestSeconds = 30 * 24 * 3600
	LargestWithin  = 60
)

// Request says what is copied by hand.
type Request struct {
	ID, Name string
	// From and To are the ends, by the names that the bench book or their owner gives them.
	From, To session.End
	// Set names the files, Seed is what they follow from (0 for files of one's own), and Spread
	// how many of what sizes.
	Set    string
	Seed   uint64
	Spread fileset.Spread
	// WithinSeconds is by how much each time may be off.
	WithinSeconds float64
	Conditions    map[string]string
	Environment   host.Environment
	Visit         *session.Visit
}

// Check says what is wrong with a request.
func (r Request) Check() error {
	switch {
	case r.From.Address == "" || r.To.Address == "":
		return errors.New("both ends need names; give --from and --to")
	case r.Spread.Bytes <= 0 || r.Spread.Files <= 0:
		return errors.New("what was copied needs a size and files")
	case !(r.WithinSeconds > 0) || r.WithinSeconds > LargestWithin:
		return fmt.Errorf("a reaction within %v s is not between 0 and %d s", r.WithinSeconds, LargestWithin)
	}
	return nil
}

// CheckSeconds says why a time cannot be one that was taken by hand.
func (r Request) CheckSeconds(seconds float64) error {
	switch {
	case !(seconds > r.WithinSeconds):
		return fmt.Errorf("%v s is no time that a hand can take to within %v s: copy more", seconds, r.WithinSeconds)
	case seconds > LongestSeconds:
		return fmt.Errorf("%v s is more than %d days", seconds, LongestSeconds/24/3600)
	}
	return nil
}

// Keeper keeps a session while it grows.
type Keeper interface {
	Begin(*session.Session) error
	Finish(*session.Session) error
	Discard(id string) error
}

// Record is a session that is made by hand.
type Record struct {
	request Request
	keeper  Keeper
	session *session.Session
	began   time.Time
}

// Begin begins a session.
func Begin(r Request, keeper Keeper) (*Record, error) {
	if err := r.Check(); err != nil {
		return nil, err
	}
	now := time.Now()
	s := &session.Session{
		Format: session.Format, ID: r.ID, Name: r.Name, Started: now.UTC().Truncate(time.Millisecond),
		State: session.Interrupted,
		Plan:  plan.Plan{Name: "stopwatch", About: "Copies that were timed by hand.", Steps: []plan.Step{}},
		Chain: link.NewChain(r.From.Chain.Hops...), Parts: r.From.Parts, Conditions: maps.Clone(r.Conditions),
		Environment: r.Environment, Review: r.Visit, Ends: []session.End{r.From, r.To},
		Target: session.Target{Address: r.From.Address, Kind: "copy"},
		Passes: []session.Pass{}, Events: []session.Event{}, Findings: []session.Finding{},
	}
	s.Ended = s.Started
	if s.Conditions == nil {
		s.Conditions = map[string]string{}
	}
	return &Record{request: r, keeper: keeper, session: s, began: now}, keeper.Begin(s)
}

// Add enters a time that was taken, with the laps in it, in seconds since it began.
func (r *Record) Add(seconds float64, laps []float64) error {
	if err := r.request.CheckSeconds(seconds); err != nil {
		return err
	}
	r.add(r.copyOf(seconds, laps))
	return r.keep()
}

// Abandon enters a copy of which nobody saw the end: it is in no figure.
func (r *Record) Abandon(seconds float64, laps []float64) error {
	made := r.copyOf(max(seconds, 0), laps)
	made.CutShort, made.Failure, made.BytesPerSecond, made.FilesPerSecond = true, "the stopwatch was never stopped", 0, 0
	r.add(made)
	return r.keep()
}

func (r *Record) copyOf(seconds float64, laps []float64) session.Copy {
	spread := r.request.Spread
	made := session.Copy{
		Work: session.CopyWhole, From: 0, To: 1, Set: r.request.Set, Seed: r.request.Seed, Spread: spread, Parallel: 1,
		ElapsedSeconds: seconds, Bytes: spread.Bytes, Files: spread.Files,
		ByHand:  &session.ByHand{WithinSeconds: r.request.WithinSeconds, LapsSeconds: laps},
		Samples: []session.CopySample{},
	}
	if seconds > 0 {
		made.BytesPerSecond = unit.BytesPerSecond(float64(spread.Bytes) / seconds)
		made.FilesPerSecond = float64(spread.Files) / seconds
	}
	return made
}

func (r *Record) add(made session.Copy) {
	made.Index = len(r.session.Copies)
	for _, c := range r.session.Copies {
		if !c.CutShort {
			made.Repeat++
		}
	}
	made.StartedSeconds = max(time.Since(r.began).Seconds()-made.ElapsedSeconds, 0)
	r.session.Copies = append(r.session.Copies, made)
}

// keep keeps what there is, as one that may still be interrupted.
func (r *Record) keep() error {
	r.session.Ended = time.Now().UTC().Truncate(time.Millisecond)
	return r.keeper.Finish(r.session)
}

// Taken is how many times were taken to their end.
func (r *Record) Taken() int {
	taken := 0
	for i := range r.session.Copies {
		if r.session.Copies[i].Counts() {
			taken++
		}
	}
	return taken
}

// End ends the session: complete, or interrupted. One without a copy is forgotten, and nil.
func (r *Record) End(interrupted bool) (*session.Session, error) {
	if len(r.session.Copies) == 0 {
		return nil, r.keeper.Discard(r.session.ID)
	}
	r.session.State = session.Complete
	if interrupted || r.Taken() == 0 {
		r.session.State = session.Interrupted
	}
	return r.session, r.keep()
}

// Session is what there is so far.
func (r *Record) Session() *session.Session { return r.session }
