package explain

import (
	"fmt"
	"math"
	"slices"

	"opengauge/core/stat"
)

func medianOf(values []float64) float64 { return stat.Median(values) }

// spread is the deviation of figures over their mean.
func spread(values []float64) float64 {
	mean, square := 0.0, 0.0
	for _, v := range values {
		mean += v / float64(len(values))
	}
	for _, v := range values {
		square += (v - mean) * (v - mean) / float64(len(values))
	}
	if mean == 0 {
		return math.Inf(1)
	}
	return math.Sqrt(square) / mean
}

func sum(values []float64) float64 {
	total := 0.0
	for _, v := range values {
		total += v
	}
	return total
}

func plural(n int, what string) string {
	if n == 1 {
		return "a " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// fitOthers is somebody else who uses the storage now and then: throughput goes down at
// any time, by any share, and comes back to what it was.
func fitOthers(e *evidence) (fit, bool) {
	if len(e.changes) < 2 {
		return fit{}, false
	}
	f := fit{curve: e.levelCurve(), slow: e.below()}
	if !e.comesAndGoes(&f, e.levels) {
		return fit{}, false
	}
	f.add(e.recurs(e.levels)-comesCost, "throughput comes back to the same level, whenever it likes")
	s := e.statesOf(e.levels)
	e.edges(&f)
	e.trend(&f, e.levels, s)
	if fast, _ := e.stretches(e.levels, s); e.regular(e.levels, s) && fast[0] > 1.5*medianOf(fast[1:]) {
		f.add(-regularly/2, "the first fast stretch is the longest, and the others are alike")
	}
	e.coupling(&f, false)
	if e.context.Elsewhere {
		f.add(4, "the system counted traffic that is not this program's")
	}
	return f, true
}

// edges adds that changes are not sudden, as those of causes that switch are.
func (e *evidence) edges(f *fit) {
	sum := 0.0
	for _, c := range e.changes {
		step := e.plain[min(c.at+1, len(e.plain)-1)] - e.plain[max(c.at-2, 0)]
		sum += clip(step/c.by, 1)
	}
	n := float64(len(e.changes))
	if sudden := sum / n; sudden < 0.6 {
		f.add(-min(n, 3)*(0.6-sudden)*6, "throughput does not fall and rise suddenly")
	}
}

// comesAndGoes says whether levels are a fast one, and slower ones now and then.
func (e *evidence) comesAndGoes(f *fit, levels []level) bool {
	s := e.statesOf(levels)
	if s.count < 2 {
		return false
	}
	returns, all := 0, 0.0
	var slow []float64
	for i, l := range levels {
		all += float64(l.bins())
		if s.of[i] > 0 {
			slow = append(slow, float64(l.bins()))
		} else if i > 0 {
			returns++
		}
	}
	if returns == 0 || sum(slow) > 0.75*all {
		return false
	}
	if typical := medianOf(slow) * e.recording.width; typical < longestMoment {
		f.add(-1.5, "it lasts %.0f s each time, as what a drive does for itself", typical)
	}
	return true
}

// regularly is what it is worth to a cause that repeats itself that a recording does.
const regularly = 1.5

// fitRefilled is a fast write area that the drive empties behind the writes: a long
// fast stretch, then short ones of like size now and then.
func fitRefilled(e *evidence) (fit, bool) {
	if len(e.levels) < 4 {
		return fit{}, false
	}
	s := twoStates(e.levels)
	bursts, _ := e.stretches(e.levels, s)
	if s.of[0] != 0 || len(bursts) < 2 || bursts[0] < 2*slices.Max(bursts[1:]) {
		return fit{}, false
	}
	f := fit{curve: e.levelCurve(), slow: e.below()}
	f.add(e.order(e.levels, s, s.count), "the same levels come again")
	if e.regular(e.levels, s) {
		f.add(2*regularly, "after the first, fast stretches are short and alike")
	} else {
		f.add(-regularly, "fast stretches are not alike")
	}
	e.trend(&f, e.levels, s)
	e.edges(&f)
	if lower := e.levels[0].y - s.middle[0]; lower > 1.5*leastChange {
		f.add(-4, "it never again is as fast as at first")
	}
	e.coupling(&f, true)
	return f, true
}

// stretches are how long the fastest level lasted each time, and what is slower, in
// bins; what the recording ended in is left out.
func (e *evidence) stretches(levels []level, s states) (fast, slow []float64) {
	last, length := -1, 0.0
	for i, l := range levels {
		kind := min(s.of[i], 1)
		if kind != last && last >= 0 {
			if last == 0 {
				fast = append(fast, length)
			} else {
				slow = append(slow, length)
			}
			length = 0
		}
		last = kind
		length += float64(l.bins())
	}
	return fast, slow
}

// regular says whether fast and slow stretches, after the first fast one, are alike:
// what repeats itself does so at the same temperatures, whatever the cause.
func (e *evidence) regular(levels []level, s states) bool {
	if evenly := func(s states, levels []level) bool {
		const even = 0.3
		fast, slow := e.stretches(levels, s)
		return len(fast) >= 3 && len(slow) >= 3 && spread(fast[1:]) < even && spread(slow) < even
	}; len(levels) > 2 {
		return evenly(s, levels) || evenly(twoStates(levels[1:]), levels[1:])
	}
	return false
}

// trend adds that slow levels go one way, as nothing does that comes again.
func (e *evidence) trend(f *fit, levels []level, s states) {
	var numbers, slow []float64
	for i, l := range levels {
		if s.of[i] > 0 {
			numbers, slow = append(numbers, float64(len(slow))), append(slow, l.y)
		}
	}
	if len(slow) < 5 || slices.Max(slow)-slices.Min(slow) < 2*leastChange {
		return
	}
	if math.Abs(stat.RankCorrelation(numbers, slow)) > 0.8 {
		f.add(-8, "each slow level is further on the same way")
	}
}

// fitHeatAndCliff is a drive that slows itself when hot and, once, runs out of its fast
// write area, whichever comes first.
func fitHeatAndCliff(e *evidence) (fit, bool) {
	return e.withCliff(true, func(f *fit, levels []level) bool {
		s := e.statesOf(levels)
		if s.count < 2 {
			return false
		}
		f.add(e.order(levels, s, s.count)-e.free, "before or after it, the same levels come again")
		e.trend(f, levels, s)
		e.heatFacts(f, levels, s)
		return true
	}, func(f *fit) { e.heatCounters(f) })
}

func fitCliffAndOthers(e *evidence) (fit, bool) {
	return e.withCliff(false, e.othersBeside, func(f *fit) { e.coupling(f, true) })
}

func fitAllowanceAndOthers(e *evidence) (fit, bool) {
	return e.withCliff(false, e.othersBeside, func(f *fit) {
		before, after := e.roughness()
		if before > 0 && after > 0 && before < flat && after < flat {
			f.add(0.8, "levels are as even as a limit holds them")
		}
		e.coupling(f, false)
	})
}

// comesCost is what it costs that somebody comes and goes, beside a cause that would say
// when.
const comesCost = 1.0

func (e *evidence) othersBeside(f *fit, levels []level) bool {
	if !e.comesAndGoes(f, levels) {
		return false
	}
	f.add(e.recurs(levels)-e.free-comesCost, "before or after it, throughput comes and goes")
	e.trend(f, levels, e.statesOf(levels))
	return true
}

// withCliff takes one fall, from which throughput does not come back, out of the
// changes, and asks for the levels before and after it apart. The best such fall is
// kept.
//
// What is slowed by heat changes only above a threshold, so that it need not change in
// the other of the two; that is what quiet says.
func (e *evidence) withCliff(quiet bool, phase func(f *fit, levels []level) bool, whole func(f *fit)) (fit, bool) {
	best, found := fit{}, false
	for k := 1; k < len(e.levels); k++ {
		before, after := e.levels[:k], e.levels[k:]
		top, left := topOf(before), topOf(after)
		if left > top-leastChange || e.changes[k-1].by > 0 {
			continue
		}
		f := fit{curve: e.levelCurve(), slow: e.below()}
		one := len(before) > 1 && phase(&f, before)
		two := len(after) > 1 && phase(&f, after)
		if !one && !two || len(before) > 1 && !one || len(after) > 1 && !two {
			continue
		}
		if !one && !quiet {
			f.add(constant(0, float64(before[len(before)-1].to-before[0].from), e.scale()), "nothing changed before")
		}
		if !two && !quiet {
			f.add(constant(0, float64(after[len(after)-1].to-after[0].from), e.scale()), "nothing changed after")
		}
		e.edges(&f)
		length := float64(len(e.at))
		f.add(e.free-math.Log(length)-levelCost, "one fall is for good")
		whole(&f)
		f.slowOf = e.apart(k)
		if !found || f.nats() > best.nats() {
			best, found = f, true
		}
	}
	return best, found
}

// apart are the slow stretches of a fall for good, at the level k, and of what comes and
// goes before and after it.
func (e *evidence) apart(k int) map[string][][2]int {
	var rest [][2]int
	for _, phase := range [][]level{e.levels[:k], e.levels[k:]} {
		top := topOf(phase)
		for _, l := range phase {
			if l.y < top-oneLevel {
				rest = join(rest, l.from, l.to)
			}
		}
	}
	spent := [][2]int{{e.levels[k].from, len(e.at)}}
	return map[string][][2]int{
		HeatThrottle: rest, BackgroundLoad: rest, CacheExhausted: spent, CreditExhausted: spent,
	}
}

func topOf(levels []level) float64 {
	top := math.Inf(-1)
	for _, l := range levels {
		top = max(top, l.y)
	}
	return top
}
