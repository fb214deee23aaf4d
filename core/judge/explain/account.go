package explain

import (
	"math"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/stat"
)

// Named is the probability from which on a cause is named.
const Named = 0.8

// Quantity is a figure with the range that it lies in at 95 %.
type Quantity struct{ Value, Low, High float64 }

// Account is what the likeliest explanation of a kind says, in figures.
type Account struct {
	Explanation *Explanation
	Facts       []Fact
	// Slow are the stretches that it is about, and SlowSeconds how long they are
	// together.
	Slow        []session.Span
	SlowSeconds float64
	// Looked is for how many seconds of the pass somebody looked.
	Looked float64
	// Before and After are throughput before the first fall and after it, and Last that
	// of the last level, in bytes a second.
	Before, After, Last Quantity
	// Moved is how many bytes were moved until the first fall, and MovedError how well
	// that is known.
	Moved, MovedError float64
	// Returns is how many of the stretches ended within the pass.
	Returns int
	// Sensor is the thermometer that tells most; empty where there is none. At is what
	// it said at the first fall, Cooled the lowest until throughput came back, and Start
	// and Highest of the whole pass.
	Sensor                     string
	At, Cooled, Start, Highest float64
	figures                    []Figure
}

// Figure gives one that the explanation has of its own, such as a threshold.
func (a *Account) Figure(name string) (Figure, bool) {
	for _, f := range a.figures {
		if f.Name == name {
			return f, true
		}
	}
	return Figure{}, false
}

// Account gives the figures of a kind, if there is any explanation of it.
func (v *Verdict) Account(kind string) (Account, bool) {
	best, ok := v.Best(kind)
	if !ok {
		return Account{}, false
	}
	return v.evidence.account(best, kind), true
}

// Likeliest gives the figures of the likeliest explanation that is not benign.
func (v *Verdict) Likeliest() (Account, bool) {
	for _, each := range v.Shares {
		if !each.Explanation.Benign {
			return v.evidence.account(each, ""), true
		}
	}
	return Account{}, false
}

func (e *evidence) account(s Share, kind string) Account {
	slow := s.fit.slow
	if own, apart := s.fit.slowOf[kind]; apart {
		slow = own
	}
	a := Account{Explanation: s.Explanation, Facts: s.Facts, figures: s.fit.figures}
	for _, b := range e.recording.bins {
		a.Looked += b.looked
	}
	for _, stretch := range slow {
		from, to := e.begins(stretch[0]), e.ends(stretch[1]-1)
		a.Slow = append(a.Slow, session.Span{FromSeconds: from, ToSeconds: to})
		for i := stretch[0]; i < stretch[1]; i++ {
			a.SlowSeconds += e.recording.bins[e.at[i]].looked
		}
		if stretch[1] < len(e.at) && e.y[stretch[1]] > e.levelAt(stretch[1]-1).y {
			a.Returns++
		}
	}
	a.SlowSeconds = min(a.SlowSeconds, a.Looked)
	if len(slow) == 0 {
		return a
	}
	first := slow[0][0]
	a.Before = e.quantity(max(e.levelBefore(first), 0), first)
	a.After = e.quantity(first, slow[0][1])
	a.Last = e.quantity(e.levels[len(e.levels)-1].from, len(e.at))
	a.Moved = e.movedUntil(first)
	a.MovedError = 2 * e.recording.width * a.Before.Value
	e.warmth(&a, slow)
	return a
}

// levelBefore is where the level begins that ends at a moving bin.
func (e *evidence) levelBefore(at int) int {
	if at == 0 {
		return 0
	}
	return e.levelAt(at - 1).from
}

func (e *evidence) levelAt(i int) level {
	for _, l := range e.levels {
		if i < l.to {
			return l
		}
	}
	return e.levels[len(e.levels)-1]
}

func (e *evidence) begins(i int) float64 { return e.recording.bins[e.at[i]].from + e.recording.offset }

func (e *evidence) ends(i int) float64 {
	return min(e.recording.bins[e.at[i]].from+e.recording.width, e.recording.seconds) + e.recording.offset
}

// quantity is the throughput of moving bins, with what their noise leaves of it.
func (e *evidence) quantity(from, to int) Quantity {
	if to <= from {
		return Quantity{}
	}
	values := slices.Clone(e.y[from:to])
	middle := stat.Median(values)
	error := 1.96 * 1.25 * spreadOf(values, middle, e.noise) * math.Sqrt(e.noise.inflation()/float64(len(values)))
	return Quantity{math.Exp(middle), math.Exp(middle - error), math.Exp(middle + error)}
}

// warmth adds what the telling thermometer said.
func (e *evidence) warmth(a *Account, slow [][2]int) {
	s := e.telling()
	if s == nil {
		return
	}
	values := s.over(e.at, e.recording.width, 0)
	at := extreme(values, slow[0][0], 1)
	cooled := at
	for i := slow[0][0]; i < min(slow[0][1]+3, len(values)); i++ {
		if v := values[i]; !math.IsNaN(v) {
			cooled = min(cooled, v)
		}
	}
	start, highest := math.NaN(), math.Inf(-1)
	for _, v := range values {
		if math.IsNaN(v) {
			continue
		}
		if math.IsNaN(start) {
			start = v
		}
		highest = max(highest, v)
	}
	if math.IsNaN(at) || math.IsNaN(start) {
		return
	}
	a.Sensor, a.At, a.Cooled, a.Start, a.Highest = s.name, at, cooled, start, highest
}

// telling is the thermometer that tells most: the drive's own, or else the one whose
// readings have the widest range. It is nil where there is none.
func (e *evidence) telling() *sensor {
	var best *sensor
	widest := -1.0
	for _, s := range e.sensors {
		low, high := s.span()
		wide := high - low
		if math.IsNaN(wide) {
			continue
		}
		if s.name == "drive" {
			wide += 1000
		} else if s.place == OwnSensor {
			wide += 500
		}
		if wide > widest {
			best, widest = s, wide
		}
	}
	return best
}

// Level is a stretch over which throughput held, in seconds since the pass began to
// count, and its bytes a second.
type Level struct{ FromSeconds, ToSeconds, Rate float64 }

// Levels are those of the recording, in order: one where nothing changed by as much as
// counts, and none where it is too short to ask.
func (v *Verdict) Levels() []Level {
	var levels []Level
	if e := v.evidence; e != nil {
		for _, l := range e.levels {
			levels = append(levels, Level{e.begins(l.from), e.ends(l.to - 1), math.Exp(l.y)})
		}
	}
	return levels
}

// Curve is a line over time: seconds since the pass began to count, and bytes a second.
type Curve struct{ Seconds, Rates []float64 }

// Curve draws an explanation over its recording.
func (v *Verdict) Curve(s Share) Curve {
	var c Curve
	e := v.evidence
	for i := range s.fit.curve {
		c.Seconds = append(c.Seconds, e.begins(i)+e.recording.width/2)
		c.Rates = append(c.Rates, math.Exp(s.fit.curve[i]))
	}
	return c
}

// Rival is the likeliest explanation of another kind than the first, one that draws
// another curve before one that draws the same.
func (v *Verdict) Rival() Share {
	first := v.Shares[0]
	best, found := v.Shares[1], false
	for _, each := range v.Shares[1:] {
		if slices.Equal(each.Explanation.Kinds, first.Explanation.Kinds) {
			continue
		}
		if !found {
			best, found = each, true
		}
		if each.Share < best.Share/5 {
			break
		}
		if differs(first.fit.curve, each.fit.curve) {
			return each
		}
	}
	return best
}

// differs says whether two curves are apart anywhere by as much as counts.
func differs(a, b []float64) bool {
	for i := range a {
		if math.Abs(a[i]-b[i]) > leastChange {
			return true
		}
	}
	return false
}

// Against says why a kind is not it: what speaks most against it, and by how much the
// odds of the kind that is named are above its own, as a natural logarithm. It is
// empty where the kind would not look alike.
func (v *Verdict) Against(kind, named string) (why string, nats float64) {
	if v.evidence == nil {
		return "", 0
	}
	nats = math.Log(max(v.Of(named), 1e-9) / max(v.Of(kind), 1e-6))
	spent := kind == CacheExhausted || kind == CreditExhausted || kind == LinkDegraded
	switch {
	case kind == CacheExhausted && !v.evidence.context.Writes:
		return "reads have no write area to fill", nats
	case kind == CacheExhausted && v.evidence.context.Counted && v.evidence.context.Slowdowns > 0:
		return "the drive counted slowdowns of its own", nats
	case spent && v.evidence.comesBack():
		return "throughput came back at the same load, without a rest", nats
	}
	best, ok := v.Best(kind)
	if !ok {
		return "", 0
	}
	least := Fact{}
	for _, f := range best.Facts {
		if f.Nats < least.Nats {
			least = f
		}
	}
	if least.Nats > -0.3 {
		return "it occurs less often, and nothing speaks for it", nats
	}
	return least.Says, nats
}

// comesBack says whether throughput rose again without a rest.
func (e *evidence) comesBack() bool {
	return slices.ContainsFunc(e.changes, func(c change) bool { return !c.falls() && c.rested <= restSeconds })
}

// Falls says whether throughput fell by as much as counts.
func (v *Verdict) Falls() bool { return v.evidence != nil && v.evidence.someFall() }
