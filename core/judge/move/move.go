// Package move says how long a session's storage takes to move an amount of data: its
// move curves. A write at one rate for a while and at another after that has no
// average, but a time for each amount.
//
// Within a recording the time is what was recorded. Beyond it the curve goes on only
// where a cause is settled after which storage stays as it is; else all that is said is
// how long it takes at the least. It only reads sessions, and its functions may be
// called by several goroutines at once.
package move

import (
	"math"
	"slices"

	"opengauge/core/judge/explain"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Curve is the time that a load takes for each amount, as one session recorded it.
type Curve struct {
	Key session.Key
	// Capacity is of what is moved to and from; 0 is not known.
	Capacity unit.Bytes
	// Before is how much this session had written to the storage before the first
	// recording began, so that a part of a fast write area may have been used up.
	Before unit.Bytes
	// Phases are the levels that it goes through, one where it holds.
	Phases []Phase
	// Index is that of the longest recording, a pass's or a copy's.
	Index int
	runs  []run
}

// Phase is a stretch of a curve over which it moves at one rate, or about one.
type Phase struct {
	From unit.Bytes          `json:"from_bytes"`
	Rate unit.BytesPerSecond `json:"bytes_per_second"`
	// Slowest and Fastest are set where the rate goes up and down within the phase.
	Slowest unit.BytesPerSecond `json:"slowest_bytes_per_second,omitempty"`
	Fastest unit.BytesPerSecond `json:"fastest_bytes_per_second,omitempty"`
}

// run is one recording.
type run struct {
	index int
	line  line
	tail  *tail
	// fastest is the highest level seen, in bytes a second: nothing is known to be faster.
	fastest float64
	phases  []Phase
}

// Time is how long an amount takes.
type Time struct {
	Amount unit.Bytes `json:"amount_bytes"`
	// Seconds is 0 where it is not known. Low and High are its 95 % interval, 0 where
	// nobody knows; Low alone is how long it takes at the least.
	Seconds float64 `json:"seconds,omitempty"`
	Low     float64 `json:"seconds_low,omitempty"`
	High    float64 `json:"seconds_high,omitempty"`
	// Extrapolated says that it is more than was recorded, and Cause because of what
	// the curve is known to go on.
	Extrapolated bool   `json:"extrapolated"`
	Cause        string `json:"cause,omitempty"`
	// TooLarge says that the storage does not hold so much.
	TooLarge bool `json:"more_than_it_holds,omitempty"`
}

// Known says whether there is a time.
func (t Time) Known() bool { return t.Seconds > 0 }

// Falls says whether the curve goes through more than one level.
func (c *Curve) Falls() bool { return len(c.Phases) > 1 }

// Stepped says whether it goes down for good, so that its mean is that of no state. One
// that comes back again and again has a mean.
func (c *Curve) Stepped() bool {
	for i := 1; i < len(c.Phases); i++ {
		if c.Phases[i].Slowest > 0 || c.Phases[i].Rate >= c.Phases[i-1].Rate {
			return false
		}
	}
	return c.Falls()
}

// Recorded is the largest amount that was recorded.
func (c *Curve) Recorded() unit.Bytes {
	most := 0.0
	for _, r := range c.runs {
		most = max(most, r.line.end().bytes)
	}
	return unit.Bytes(most)
}

// Settled says whether it is known how the curve goes on beyond the recording.
func (c *Curve) Settled() bool {
	return slices.ContainsFunc(c.runs, func(r run) bool { return r.tail != nil && !r.tail.least })
}

// Reach is the largest amount whose time is known: what was recorded, or all that the
// storage holds where it is known how the curve goes on; 0 is no bound.
func (c *Curve) Reach() unit.Bytes {
	if c.Settled() {
		return c.Capacity
	}
	return c.Recorded()
}

// Of gives the curves of a session: of each load that it ran as fast as the storage
// takes it, and of each copy, in the order in which they ran.
func Of(s *session.Session) []Curve {
	var curves []Curve
	runs := s.RunsOn()
	for _, group := range s.Alike(nil) {
		if group.Key.Load.Scheduled() || group.Key.Load.Operation == load.Mixed {
			continue
		}
		group.Passes = joined(s, group.Passes, runs)
		if c, ok := curveOf(s, group); ok {
			c.Capacity, c.Before = s.Target.CapacityBytes, writtenBefore(s, group.Passes[0])
			curves = append(curves, c)
		}
	}
	return append(curves, copies(s)...)
}

// joined are passes with those as one recording that ran on without a rest, where
// throughput falls over them: they did not begin in the same state.
func joined(s *session.Session, passes []*session.Pass, runs []session.RunOn) []*session.Pass {
	for i := range runs {
		run := &runs[i]
		at := slices.IndexFunc(passes, func(p *session.Pass) bool { return p.Index == run.Indexes[0] })
		if at < 0 || at+len(run.Indexes) > len(passes) {
			continue
		}
		if verdict := explain.Pass(s, &run.Whole); verdict.Falls() {
			passes = slices.Replace(slices.Clone(passes), at, at+len(run.Indexes), &run.Whole)
		}
	}
	return passes
}

// copies are the curves of copies, and of the work of their ends.
func copies(s *session.Session) []Curve {
	var groups session.Groups
	views, capacity := map[session.Key]*session.Session{}, map[session.Key]unit.Bytes{}
	for i := range s.Copies {
		c := &s.Copies[i]
		if !c.Counts() {
			continue
		}
		view, pass := s.Recording(c)
		groups.Add(c.Key(s), pass)
		views[c.Key(s)], capacity[c.Key(s)] = view, view.Target.CapacityBytes
	}
	var curves []Curve
	for _, group := range groups.List {
		if c, ok := curveOf(views[group.Key], group); ok {
			c.Capacity = capacity[group.Key]
			curves = append(curves, c)
		}
	}
	return curves
}

func curveOf(s *session.Session, group session.Group) (Curve, bool) {
	c := Curve{Key: group.Key}
	for _, pass := range group.Passes {
		if l := lineOf(pass); len(l) > 1 {
			c.runs = append(c.runs, runOf(s, pass, l))
		}
	}
	if len(c.runs) == 0 {
		return c, false
	}
	c.Phases, c.Index = c.longest().phases, c.longest().index
	return c, true
}

// longest is the recording that goes on for longest.
func (c *Curve) longest() *run {
	best := &c.runs[0]
	for i := range c.runs {
		if c.runs[i].line.end().seconds > best.line.end().seconds {
			best = &c.runs[i]
		}
	}
	return best
}

// Longest is for how many seconds the longest recording goes on.
func (c *Curve) Longest() float64 { return c.longest().line.end().seconds }

// Stretch is a stretch at one rate, in bytes a second.
type Stretch struct{ Seconds, Rate float64 }

// Recording is the longest recording, as stretches.
func (c *Curve) Recording() []Stretch { return c.longest().line.stretches() }

// Onward is what comes again and again after the longest recording, from where it ends,
// and whether that is known.
func (c *Curve) Onward() ([]Stretch, bool) {
	t := c.longest().tail
	if t == nil || t.least {
		return nil, false
	}
	end := t.line.end().seconds
	return append(t.line.between(t.at, end).stretches(), t.line.between(0, t.at).stretches()...), true
}

// lineOf adds up a pass's samples, with what was written before it began to count. Of a
// pass without samples only its end is known.
func lineOf(pass *session.Pass) line {
	l := line{{0, 0}}
	bytes, settled := float64(pass.SettleBytes), settledFor(pass)
	if settled > 0 {
		l = append(l, point{bytes, settled})
	}
	for _, sample := range pass.Samples {
		bytes += float64(sample.Bytes)
		if at := sample.TSeconds + settled; at > l.end().seconds {
			l = append(l, point{bytes, at})
		}
	}
	if total := float64(pass.Bytes); len(pass.Samples) == 0 && total > 0 && pass.ElapsedSeconds > 0 {
		l = line{{0, 0}, {total, pass.ElapsedSeconds}}
	}
	return l
}

// settledFor is for how many seconds a pass wrote before it began to count.
func settledFor(pass *session.Pass) float64 {
	if pass.SettleBytes <= 0 {
		return 0
	}
	return pass.SettleSeconds
}

// explained is what explanations say of a recording, in seconds since it began to move
// anything.
type explained struct {
	verdict explain.Verdict
	levels  []explain.Level
	// settled is for how long it moved before it began to count.
	settled float64
}

func explainedOf(s *session.Session, pass *session.Pass) explained {
	e := explained{verdict: explain.Pass(s, pass), settled: settledFor(pass)}
	for i, level := range e.verdict.Levels() {
		level.FromSeconds, level.ToSeconds = level.FromSeconds+e.settled, level.ToSeconds+e.settled
		if i == 0 && level.FromSeconds <= e.settled {
			level.FromSeconds = 0
		}
		e.levels = append(e.levels, level)
	}
	return e
}

func runOf(s *session.Session, pass *session.Pass, l line) run {
	e := explainedOf(s, pass)
	r := run{index: pass.Index, line: l}
	if !pass.CutShort {
		if r.tail = tailOf(e, l); r.tail != nil {
			moved := l.end().bytes + float64(writtenBefore(s, pass))
			r.tail.least = mayRunOut(r.tail.cause, s, pass, moved)
		}
	}
	r.phases = phasesOf(e, l, r.tail)
	for _, p := range r.phases {
		r.fastest = max(r.fastest, float64(max(p.Rate, p.Fastest)))
	}
	return r
}

// writtenBefore is what the session's passes wrote before one.
func writtenBefore(s *session.Session, first *session.Pass) unit.Bytes {
	sum := unit.Bytes(0)
	for i := range s.Passes {
		if p := &s.Passes[i]; p.Index < first.Index && p.Writes() {
			sum += p.Bytes
		}
	}
	return sum
}

// For says how long an amount takes.
func (c *Curve) For(amount unit.Bytes) Time {
	t := Time{Amount: amount}
	if c.Capacity > 0 && amount > c.Capacity {
		t.TooLarge = true
		return t
	}
	var within, beyond []Time
	least := math.Inf(1)
	for i := range c.runs {
		switch one := c.runs[i].time(float64(amount)); {
		case !one.Known():
			least = min(least, one.Low)
		case one.Extrapolated:
			beyond = append(beyond, one)
		default:
			within = append(within, one)
		}
	}
	switch {
	case len(within) > 0:
		return together(t, within)
	case len(beyond) > 0:
		return together(t, beyond)
	}
	t.Low, t.Extrapolated = least, true
	return t
}

// together puts the times of repeats together: their median, with the interval of
// repeats on the logarithms, and no narrower than one of them is known to.
func together(t Time, each []Time) Time {
	var logs []float64
	for _, one := range each {
		logs = append(logs, math.Log(one.Seconds))
	}
	t.Extrapolated, t.Cause, t.Low, t.High = each[0].Extrapolated, each[0].Cause, each[0].Low, each[0].High
	if len(each) == 1 {
		t.Seconds = each[0].Seconds
		return t
	}
	middle, _ := stat.RepeatInterval(logs)
	own := math.Log(max(each[0].High, each[0].Seconds) / each[0].Seconds)
	t.Seconds = math.Exp(middle.Value)
	t.Low, t.High = math.Exp(min(middle.Low, middle.Value-own)), math.Exp(max(middle.High, middle.Value+own))
	return t
}

// time is how long an amount took, or would take, in one recording.
func (r *run) time(amount float64) Time {
	end := r.line.end()
	t := Time{Amount: unit.Bytes(amount)}
	if amount <= end.bytes {
		t.Seconds = r.line.secondsAt(amount)
		return t
	}
	t.Extrapolated = true
	if r.tail == nil {
		t.Low = end.seconds + (amount-end.bytes)/r.fastest
		return t
	}
	more := r.tail.seconds(amount - end.bytes)
	t.Low = end.seconds + more*(1-min(r.tail.error, 0.9))
	if r.tail.least {
		return t
	}
	t.Seconds, t.Cause, t.High = end.seconds+more, r.tail.cause, end.seconds+more*(1+r.tail.error)
	return t
}
