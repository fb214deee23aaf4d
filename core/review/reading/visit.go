package reading

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"opengauge/core/judge/factor"
	"opengauge/core/judge/finding"
	"opengauge/core/judge/outcome"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/design"
)

// Visit is a visit of a cell with what was measured at it.
type Visit struct {
	design.Visit
	Sessions []*session.Session
	// Whole says that all that the review measures is there.
	Whole bool
	// Void is why it does not count, whatever its figures are, or empty. It is kept, and
	// made again.
	Void string
	// Figure is what is decided by; 0 is not known, and NoFigure says why.
	Figure   float64
	NoFigure string
	// Adopted says that it was measured before, for no review.
	Adopted bool
	// Failed says that the storage did: it vanished, or operations failed.
	Failed bool
	// Side is the level of a factor without a way back, from 0.
	Side int
	Host string
}

// Counts reports whether the visit tells something of its cell.
func (v *Visit) Counts() bool { return v.Void == "" && v.Whole }

// Known reports whether the visit has a figure that counts.
func (v *Visit) Known() bool { return v.Counts() && v.Figure > 0 }

// Unprepared is what was not as at the first visit.
func (v *Visit) Unprepared() []string {
	for _, s := range v.Sessions {
		if s.Review != nil && len(s.Review.Unprepared) > 0 {
			return s.Review.Unprepared
		}
	}
	return nil
}

// Rejected is a session that is not taken in, and why.
type Rejected struct {
	Session string `json:"session"`
	Why     string `json:"why"`
}

// State is what sessions say of a review.
type State struct {
	// Visits are all of them, in the order in which they were made.
	Visits []Visit
	// Rejected are sessions of the review, or like it, that do not belong to it.
	Rejected []Rejected
	// Changed says what of the review was changed since the first session, and how many
	// sessions were measured before that.
	Changed       []string
	BeforeChanges int
}

// Reader reads sessions of one review again and again, and looks at each only once. It
// belongs to one goroutine.
type Reader struct {
	Review *review.Review
	known  map[*session.Session]known
}

// known is what a session says by itself.
type known struct {
	failed bool
	void   string
	figure float64
	err    error
}

// NewReader reads sessions of a review.
func NewReader(r *review.Review) *Reader {
	return &Reader{Review: r, known: map[*session.Session]known{}}
}

// of is what a session of a cell says.
func (r *Reader) of(s *session.Session, c *review.Cell) known {
	if k, seen := r.known[s]; seen {
		return k
	}
	o := outcome.Of(s, s.Findings)
	k := known{failed: o.Failed() || s.State == session.Failed}
	for _, void := range voids {
		if k.void == "" && void.is(s) {
			k.void = void.why
		}
	}
	k.figure, k.err = Figure(s, c, &r.Review.Decide)
	r.known[s] = k
	return k
}

// Of reads sessions once: see [Reader.Of].
func Of(r *review.Review, sessions []*session.Session) State { return NewReader(r).Of(sessions) }

// Of reads sessions: those of the review, and those measured before that fit a cell.
func (rd *Reader) Of(sessions []*session.Session) State {
	r, st := rd.Review, State{}
	sorted := slices.SortedStableFunc(slices.Values(sessions), func(a, b *session.Session) int {
		return cmp.Or(a.Started.Compare(b.Started), cmp.Compare(a.ID, b.ID))
	})
	at := map[string]int{}
	var before []*session.Session
	for _, s := range sorted {
		switch {
		case s.Review == nil:
			before = append(before, s)
		case s.Review.Name == r.Name:
			st.add(r, s, at)
		}
	}
	for _, s := range before {
		if len(st.Visits) == 0 || st.Visits[0].Sessions[0].Simulated == s.Simulated {
			st.adopt(rd, s)
		}
	}
	slices.SortStableFunc(st.Visits, func(a, b Visit) int { return cmp.Compare(a.Order, b.Order) })
	st.complete(rd)
	return st
}

func (st *State) add(r *review.Review, s *session.Session, at map[string]int) {
	mark := s.Review
	if changed := review.Changed(mark.Definition, r.Definition()); len(changed) > 0 {
		st.BeforeChanges++
		for _, each := range changed {
			if !slices.Contains(st.Changed, each) {
				st.Changed = append(st.Changed, each)
			}
		}
	}
	c, ok := r.Cell(mark.Cell)
	if !ok {
		st.Rejected = append(st.Rejected, Rejected{s.DisplayName(), fmt.Sprintf("the review has no cell %s any more",
			mark.Cell)})
		return
	}
	if why := otherMeasurement(r, s); why != "" {
		st.Rejected = append(st.Rejected, Rejected{s.DisplayName(), why})
		return
	}
	key := fmt.Sprintf("%d %s", mark.Order, mark.Cell)
	if _, seen := at[key]; !seen {
		at[key] = len(st.Visits)
		st.Visits = append(st.Visits, Visit{Host: c.Host(), Visit: design.Visit{
			Cell: mark.Cell, Number: mark.Visit, Order: mark.Order, Day: mark.Day, Control: mark.Control}})
	}
	v := &st.Visits[at[key]]
	v.Sessions = append(v.Sessions, s)
}

// otherMeasurement says why a session's measurement is none of the review's.
func otherMeasurement(r *review.Review, s *session.Session) string {
	m := measurement(r, s)
	switch {
	case m == nil:
		return fmt.Sprintf("the review measures no %s any more", s.Review.Measurement)
	case !m.IsCopy() && !samePlan(m, s):
		return fmt.Sprintf("%s was another plan then", m.Name)
	}
	return ""
}

func measurement(r *review.Review, s *session.Session) *review.Measurement {
	for i := range r.Measure {
		if r.Measure[i].Name == s.Review.Measurement {
			return &r.Measure[i]
		}
	}
	return nil
}

// samePlan reports whether a session ran the passes of a measurement.
func samePlan(m *review.Measurement, s *session.Session) bool {
	asked, ran := m.Plan.Passes(m.Hold), s.Plan.Passes(m.Hold)
	if len(asked) != len(ran) {
		return false
	}
	for i := range asked {
		if asked[i].Load.Identity() != ran[i].Load.Identity() {
			return false
		}
	}
	return true
}

// adopt takes in a session that was measured before, for no review, where it fits a cell.
func (st *State) adopt(rd *Reader, s *session.Session) {
	c, why := fitting(rd.Review, s)
	if c == nil {
		if why != "" {
			st.Rejected = append(st.Rejected, Rejected{s.DisplayName(), why})
		}
		return
	}
	v := Visit{Adopted: true, Host: c.Host(), Sessions: []*session.Session{s},
		Visit: design.Visit{Cell: c.Name, Day: s.Started.Format("2006-01-02"), Number: 1}}
	k := rd.of(s, c)
	if k.err != nil {
		if !errors.Is(k.err, errOther) {
			st.Rejected = append(st.Rejected, Rejected{s.DisplayName(), k.err.Error()})
		}
		return
	}
	v.Figure = k.figure
	st.Visits = append(st.Visits, v)
}

// fitting is the cell whose parts and conditions a session has. Sessions that have nothing
// to do with the review give neither a cell nor a reason.
func fitting(r *review.Review, s *session.Session) (*review.Cell, string) {
	set := factor.Of(s).WithPort()
	why := ""
	for _, c := range r.Cells() {
		lacks := lacking(&c, set)
		switch {
		case len(lacks) == 0:
			return &c, ""
		case len(lacks) == 1 && set[c.Levels[0].Factor] != "" && sameStorage(&c, set):
			why = "it would be " + c.Name + ", but for " + lacks[0]
		}
	}
	return nil, why
}

func sameStorage(c *review.Cell, set factor.Set) bool {
	return c.Storage() != "" && (set[factor.Drive] == c.Storage() || set[factor.Volume] == c.Storage())
}

// lacking says in what a session is not a cell.
func lacking(c *review.Cell, set factor.Set) []string {
	var lacks []string
	for _, l := range c.All {
		has := set[l.Factor]
		if host, _, ported := strings.Cut(has, "."); l.Factor == factor.Host && ported && !strings.Contains(l.Name, ".") {
			has = host
		}
		switch {
		case has == "":
			lacks = append(lacks, l.Factor+", which it does not say")
		case !factor.Alike(has, l.Name):
			lacks = append(lacks, fmt.Sprintf("%s %s", l.Factor, has))
		}
	}
	for _, role := range []string{factor.Cable, factor.Enclosure} {
		if has := set[role]; has != "" && c.Of(role) == "" {
			lacks = append(lacks, fmt.Sprintf("%s %s, which the review does not name", role, has))
		}
	}
	return lacks
}

// complete says of each visit what it is worth.
func (st *State) complete(rd *Reader) {
	r := rd.Review
	step, stepping := r.OneWay()
	numbers, side := map[string]int{}, 0
	for i := range st.Visits {
		v := &st.Visits[i]
		c, _ := r.Cell(v.Cell)
		if stepping {
			side = max(side, slices.Index(step.Levels, c.Of(step.Key)))
		}
		v.Side = side
		if v.Adopted {
			numbers[v.Cell]++
			v.Number, v.Whole = numbers[v.Cell], true
			v.judge(rd, &c)
			continue
		}
		v.Whole = whole(r, v.Sessions)
		v.judge(rd, &c)
		v.read(rd, &c)
	}
}

// whole reports whether every measurement ran as often as it has to.
func whole(r *review.Review, sessions []*session.Session) bool {
	turns := map[string]map[int]bool{}
	for _, s := range sessions {
		if s.State == session.Interrupted {
			continue
		}
		if turns[s.Review.Measurement] == nil {
			turns[s.Review.Measurement] = map[int]bool{}
		}
		turns[s.Review.Measurement][s.Review.Turn] = true
	}
	for i := range r.Measure {
		if len(turns[r.Measure[i].Name]) < r.Measure[i].Times {
			return false
		}
	}
	return true
}

// voids are the reasons for which a visit is made again. All of them are known without a
// look at what it gave.
var voids = []struct {
	why string
	is  func(s *session.Session) bool
}{
	{"something else used the device meanwhile", finding.UsedByOthers},
	{"it was said afterwards that other parts were there", func(s *session.Session) bool {
		return slices.ContainsFunc(s.Notes, func(n session.Remark) bool { return len(n.Corrected) > 0 })
	}},
}

// judge says whether a visit is void, and whether the storage failed.
func (v *Visit) judge(rd *Reader, c *review.Cell) {
	for _, s := range v.Sessions {
		k := rd.of(s, c)
		v.Failed = v.Failed || k.failed
		if v.Void == "" {
			v.Void = k.void
		}
	}
	if !v.Whole && v.Void == "" && !v.Failed {
		v.Void = "it was interrupted"
	}
	if v.Failed { // what failed is an answer too, and is not made again until it does not
		v.Whole = true
	}
}

// read takes the figure of a visit: the mean of its sessions that have one.
func (v *Visit) read(rd *Reader, c *review.Cell) {
	var figures []float64
	for _, s := range v.Sessions {
		if s.State == session.Interrupted {
			continue
		}
		k := rd.of(s, c)
		switch {
		case k.err == nil:
			figures = append(figures, k.figure)
		case !errors.Is(k.err, errOther):
			v.NoFigure = k.err.Error()
		}
	}
	if figure, err := mean(figures); err == nil {
		v.Figure, v.NoFigure = figure, ""
		return
	}
	if v.NoFigure == "" && v.Failed {
		v.NoFigure = "the storage failed"
	}
}

// Made are the visits as the design counts them: those that were interrupted, or are void,
// were not made, and those adopted are nobody's turn.
func (st *State) Made() []design.Visit {
	var made []design.Visit
	for i := range st.Visits {
		if v := &st.Visits[i]; v.Counts() && !v.Adopted {
			made = append(made, v.Visit)
		}
	}
	return made
}

// NextOrder is the place of the next visit among all that were begun.
func (st *State) NextOrder() int {
	order := 1
	for i := range st.Visits {
		order = max(order, st.Visits[i].Order+1)
	}
	return order
}

// Sessions are those of all visits.
func (st *State) Sessions() []*session.Session {
	var sessions []*session.Session
	for i := range st.Visits {
		sessions = append(sessions, st.Visits[i].Sessions...)
	}
	return sessions
}

// Goodness is a visit's figure as it is compared: the larger, the better, in shares.
func (v *Visit) Goodness(f review.Figure) float64 {
	if f.Larger {
		return math.Log(v.Figure)
	}
	return -math.Log(v.Figure)
}

// Concerns reports whether a session belongs to a review, or may: it is of a storage that
// the review is about.
func Concerns(r *review.Review, s *session.Session) bool {
	if s.Review != nil {
		return s.Review.Name == r.Name
	}
	set := factor.Of(s)
	for _, c := range r.Cells() {
		if sameStorage(&c, set) {
			return true
		}
	}
	return false
}
