package explain

import (
	"math"

	"opengauge/core/bench/link"
	"opengauge/core/stat"
)

// onlyFalls says whether throughput falls at most so many times and never comes back,
// but after a rest.
func (e *evidence) onlyFalls(most int) bool {
	falls := 0
	for _, c := range e.changes {
		if c.falls() {
			falls++
		} else if c.rested <= restSeconds {
			return false
		}
	}
	return falls > 0 && falls <= most
}

// restSeconds is how long nothing has to be asked for it to be a rest.
const restSeconds = 8.0

// stays adds the changes of something that is spent and does not come back by itself:
// falls at an even rate, and none up but after rests.
func (e *evidence) stays(f *fit) {
	s := e.statesOf(e.levels)
	f.add(e.order(e.levels, s, s.count), "levels go down, and stay")
	e.edges(f)
	after, risen, rests := 0.0, 0.0, 0
	for i, l := range e.levels {
		if s.of[i] == 0 {
			continue
		}
		after += float64(l.bins())
		up := 0.0
		if i+1 < len(e.levels) && e.levels[i+1].y > l.y {
			up, rests = 1, rests+1
		}
		risen += constant(up, float64(l.bins()), e.scale())
	}
	if rests == 0 {
		f.add(e.never(after), "it stayed slow for %.0f s", after*e.recording.width)
		return
	}
	const back = 0.6 // how likely a rest brings the speed back
	f.add(float64(rests)*math.Log(back)-risen, "it came back after %s alone", plural(rests, "rest"))
}

// fitCliff is a fast write area that is full, in one step or several.
func fitCliff(e *evidence) (fit, bool) {
	const mostFalls = 12
	if !e.onlyFalls(mostFalls) {
		return fit{}, false
	}
	f := fit{curve: e.levelCurve(), slow: e.below()}
	e.stays(&f)
	steps := 0
	for i, c := range e.changes {
		if c.falls() && i > 0 && e.changes[i-1].falls() {
			steps++
		}
	}
	f.add(-0.8*float64(steps), "it fell in %d steps", steps+1)
	if e.context.Volume > 0 {
		f.either(e.rougher(), "throughput is rougher after the fall than before",
			"throughput is as even as a limit holds it")
	}
	e.coupling(&f, true)
	return f, true
}

// rougher is what the noise of slow stretches beside that of fast ones says for a drive
// that tidies up while it writes.
func (e *evidence) rougher() float64 {
	before, after := e.roughness()
	switch {
	case before == 0 || after == 0:
		return 0
	case after > 1.8*before && after > 0.008:
		return 0.8
	case after < flat && before < flat:
		return -0.6
	}
	return 0
}

// flat is the deviation of a level as a limit holds it.
const flat = 0.012

// roughness is the deviation of bins about the first level, and about the lowest.
func (e *evidence) roughness() (before, after float64) {
	lowest := 0
	for i := range e.levels {
		if e.levels[i].y < e.levels[lowest].y {
			lowest = i
		}
	}
	return e.roughnessOf(e.levels[0]), e.roughnessOf(e.levels[lowest])
}

func (e *evidence) roughnessOf(l level) float64 {
	if l.bins() < 8 {
		return 0
	}
	var differences []float64
	for i := l.from + 2; i < l.to-1; i++ {
		differences = append(differences, math.Abs(e.y[i]-e.y[i-1]))
	}
	return stat.Median(differences) / 0.6745 / math.Sqrt2
}

// fitAllowance is a burst allowance that is spent: two levels, each as even as a limit
// holds it.
func fitAllowance(e *evidence) (fit, bool) {
	const mostFalls = 12
	if !e.onlyFalls(mostFalls) {
		return fit{}, false
	}
	s := e.statesOf(e.levels)
	f := fit{curve: e.levelCurve(), slow: e.below()}
	e.stays(&f)
	f.add(-2.5*float64(max(s.count-2, 0)), "there are %d levels, and an allowance has two", s.count)
	before, after := e.roughness()
	switch {
	case before == 0 || after == 0:
	case before < flat && after < flat:
		f.add(0.8, "both levels are as even as a limit holds them")
	case before > 0.03 || after > 0.03:
		f.add(-1, "levels are rougher than a limit holds them")
	}
	e.coupling(&f, false)
	return f, s.count > 1
}

// fitLinkFell is a link that came back at a lower rate of its own ladder.
func fitLinkFell(e *evidence) (fit, bool) {
	const mostFalls = 2
	if !e.onlyFalls(mostFalls) {
		return fit{}, false
	}
	s := e.statesOf(e.levels)
	f := fit{curve: e.levelCurve(), slow: e.below()}
	e.stays(&f)
	f.add(-1*float64(max(s.count-2, 0)), "it fell in %d steps", s.count-1)
	first, last := e.levels[0], e.levels[len(e.levels)-1]
	f.either(e.onLadder(first.y, last.y), "before and after, throughput is what links of one family carry",
		"before or after, throughput is not what links of one family carry")
	for _, c := range e.changes {
		if c.falls() {
			f.either(e.relinked(c), "nothing answered for a moment where it fell",
				"nothing was without an answer where it fell")
			break
		}
	}
	before, after := e.roughness()
	if before > 0 && after > 0 && (after > 2*before+0.005 || after > 0.04) {
		f.add(-1, "throughput is rougher after the fall than a link makes it")
	} else if before > flat || after > flat {
		f.add(-0.7, "throughput is rougher than a link holds it")
	}
	e.coupling(&f, true)
	return f, true
}

// mostByLadder is the most that two rates of a ladder are worth: other things stop at
// round shares too.
const mostByLadder = 2.5

// onLadder is what it is worth that two levels are rates of one ladder: how seldom
// levels anywhere are.
func (e *evidence) onLadder(before, after float64) float64 {
	const hits = 0.7
	families := ladders()
	if len(e.context.Ladder) > 0 {
		families = map[string][]link.Range{"chain": e.context.Ladder}
	}
	best := math.Inf(-1)
	for _, ladder := range families {
		coverBefore := cover(ladder, before-0.5, before+0.5)
		coverAfter := cover(ladder, before-3, before-leastChange)
		upper, lower := within(ladder, before), within(ladder, after)
		worth := score(upper, coverBefore, hits) + score(lower, coverAfter, hits)
		best = max(best, worth)
	}
	if len(families) > 1 {
		best -= math.Log(float64(len(families))) / 2
	}
	return min(best, mostByLadder)
}

func score(hit bool, covered, hits float64) float64 {
	covered = min(max(covered, 0.02), 0.95)
	if hit {
		return math.Log(hits / covered)
	}
	return math.Log((1 - hits) / (1 - covered))
}

// slack is how far a rate may be outside of what a link usually carries.
const slack = 0.025

func within(ladder []link.Range, y float64) bool {
	for _, r := range ladder {
		if y >= math.Log(float64(r.Low))-slack && y <= math.Log(float64(r.High))+slack {
			return true
		}
	}
	return false
}

// cover is the share of a range of logarithms that a ladder's rates take up.
func cover(ladder []link.Range, from, to float64) float64 {
	const steps = 200
	hits := 0
	for i := range steps {
		if within(ladder, from+(to-from)*(float64(i)+0.5)/steps) {
			hits++
		}
	}
	return float64(hits) / steps
}

// longestRelink is how long, in seconds, a link takes to train anew at the most.
const longestRelink = 15.0

// relinked is what a moment without an answer at a fall is worth: a link trains anew.
func (e *evidence) relinked(c change) float64 {
	near := func(at float64) bool { return math.Abs(at-c.atSecond) <= 3*e.recording.width+2 }
	for _, at := range e.context.Relinked {
		if near(at) {
			return 5
		}
	}
	for _, s := range e.recording.silences {
		if s.Returned && s.To-s.From <= longestRelink && near(s.To) {
			return 4.5
		}
	}
	if e.recording.step > 1 {
		return 0
	}
	lower := min(e.levels[c.before].y, e.levels[c.after].y)
	for i := max(c.at-3, 1); i <= min(c.at+2, len(e.at)-1); i++ {
		if e.recording.quietAbout(e.at[i]) || e.y[i] < lower-muchLess {
			return 2.5
		}
	}
	return -1.2
}

// muchLess is how far, in logarithms, a moment is below both levels about it in which a
// link trained anew.
const muchLess = 0.4

// quietAbout says whether nothing moved for a good part of a bin or the one before it.
func (r *recording) quietAbout(bin int) bool {
	for i := max(bin-1, 0); i <= bin; i++ {
		if b := &r.bins[i]; b.looked > 0 && b.zero > 0.4*r.width {
			return true
		}
	}
	return false
}
