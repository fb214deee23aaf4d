package explain

import (
	"math"

	"opengauge/core/bench/link"
)

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
