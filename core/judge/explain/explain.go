// Package explain asks how a recording came to be. Each explanation is a small
// generative model: of when throughput falls and comes back, to which levels, and of
// what the temperature has to do with it. They compete: what each fact is worth to
// each of them, in natural logarithms of odds, is added up, and the shares are what
// follows for each, with what was known before. A cause has the sum of the shares of
// the explanations that it is a part of.
//
// Odds count changes and blocks of a recording, never its samples: of those there may
// be as many as one likes, and they are not independent.
//
// Its functions only read what they are given, and may be called at once.
package explain

import (
	"math"
	"slices"

	"opengauge/core/record/session"
)

// Fact is something that a recording shows, and by how much it moves the odds of an
// explanation against that of a recording without any order.
type Fact struct {
	Says string
	Nats float64
}

// Share is how likely an explanation is, beside all others.
type Share struct {
	Explanation *Explanation
	// Share is from 0 to 1; those of a verdict add up to 1.
	Share float64
	// Facts are what moved it.
	Facts []Fact
	// fit has its figures, and the curve that it draws.
	fit fit
}

// Verdict is what the explanations of a pass came to, the likeliest first.
type Verdict struct {
	Shares []Share
	// Silences are stretches in which nothing moved though somebody looked.
	Silences []Silence
	evidence *evidence
}

// fewestBins is how many bins in which something moved a pass needs for anything to be
// asked of it.
const fewestBins = 10

// Pass explains a pass of a session.
func Pass(s *session.Session, pass *session.Pass) Verdict {
	c := ContextOf(s, pass)
	r := recordingOf(pass)
	v := explain(r, c)
	if r.width > coarse*max(leastWidth, r.step) {
		return inWindows(pass, r, c, v)
	}
	return v
}

const (
	// coarse is how much longer bins may be than what was sampled before short cycles
	// are looked for, and windowBins how long the windows are in which they are.
	coarse, windowBins = 1.5, 1500
)

// inWindows looks at three windows of a long pass in full: its start, its first change,
// and its end. Where they show changes that the bins of the whole are too long for,
// what the window says of them holds.
func inWindows(pass *session.Pass, r *recording, c Context, whole Verdict) Verdict {
	fine := windowBins * max(leastWidth, r.step)
	middle := r.seconds / 2
	if changes := whole.changes(); len(changes) > 0 {
		middle = changes[0].atSecond
	}
	best, most := whole, 0
	for i, from := range []float64{0, middle - fine/2, r.seconds - fine} {
		from = min(max(from, 0), r.seconds-fine)
		v := explain(windowOf(pass, from, from+fine), c)
		seen := 0
		for _, change := range whole.changes() {
			if change.atSecond >= from && change.atSecond <= from+fine {
				seen++
			}
		}
		found := len(v.changes())
		if showsMore(found, seen) && (found > 2*most || i == 0) {
			best, most = v, found
		}
	}
	best.Silences = whole.Silences
	return best
}

// showsMore says whether a closer look found so many changes that what was seen before is
// too coarse for them.
func showsMore(found, seen int) bool { return found > 2*seen+2 }

func (v *Verdict) changes() []change {
	if v.evidence == nil {
		return nil
	}
	return v.evidence.changes
}

// explain lets the explanations compete.
func explain(r *recording, c Context) Verdict {
	r.judgeSilences(c)
	v := Verdict{Silences: r.silences}
	if len(r.moving()) < fewestBins {
		return v
	}
	if c.Volume > 0 && c.Volume < 1 && r.ownSensor() {
		c.Volume = unknownVolume / 3 // volumes have no thermometer of their own
	}
	e := gather(r, c)
	v.evidence = e
	v.Shares = compete(e)
	// A moment without an answer is a part of how a link falls, and no outage.
	for i := range v.Silences {
		s := &v.Silences[i]
		for _, c := range e.changes {
			if c.falls() && s.To-s.From < longestRelink && math.Abs(c.atSecond-s.To) <= 3*r.width+2 {
				s.Probability *= 1 - v.Of(LinkDegraded)
			}
		}
	}
	return v
}

// Of is how likely it is that a kind of finding is a part of what happened. One fact
// alone makes nothing certain, and nothing does quite.
func (v *Verdict) Of(kind string) float64 {
	sum, facts := 0.0, 0
	for _, each := range v.Shares {
		if !each.Explanation.has(kind) {
			continue
		}
		sum += each.Share
		speaking := 0
		for _, fact := range each.Facts {
			if fact.Nats >= aFact {
				speaking++
			}
		}
		facts = max(facts, speaking)
	}
	if facts < 2 {
		return min(sum, mostByOne)
	}
	return min(sum, mostCertain)
}

// Healthy is how likely it is that nothing is wrong.
func (v *Verdict) Healthy() float64 {
	if len(v.Shares) == 0 {
		return 1
	}
	sum := 0.0
	for _, each := range v.Shares {
		if each.Explanation.Benign {
			sum += each.Share
		}
	}
	return sum
}

// Best is the likeliest explanation of those that a kind is a part of.
func (v *Verdict) Best(kind string) (Share, bool) {
	for _, each := range v.Shares {
		if each.Explanation.has(kind) {
			return each, true
		}
	}
	return Share{}, false
}

// Doubts are what of a session's recordings was not believed, and why.
func Doubts(s *session.Session) []string {
	var said []string
	for i := range s.Passes {
		for _, doubt := range recordingOf(&s.Passes[i]).doubts() {
			if !slices.Contains(said, doubt) {
				said = append(said, doubt)
			}
		}
	}
	return said
}
