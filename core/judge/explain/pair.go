package explain

import "math"

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
	curve, slow := e.levelCurve(), e.below()
	for k := 1; k < len(e.levels); k++ {
		before, after := e.levels[:k], e.levels[k:]
		top, left := topOf(before), topOf(after)
		if left > top-leastChange || e.changes[k-1].by > 0 {
			continue
		}
		f := fit{curve: curve, slow: slow}
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
	rest := slower(slower(nil, e.levels[:k]), e.levels[k:])
	spent := [][2]int{{e.levels[k].from, len(e.at)}}
	return map[string][][2]int{
		HeatThrottle: rest, BackgroundLoad: rest, CacheExhausted: spent, CreditExhausted: spent,
	}
}

// topOf is the fastest of levels.
func topOf(levels []level) float64 {
	top := math.Inf(-1)
	for _, l := range levels {
		top = max(top, l.y)
	}
	return top
}
