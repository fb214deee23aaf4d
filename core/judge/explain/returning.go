package explain

import (
	"slices"

	"gonum.org/v1/gonum/floats"

	"opengauge/core/stat"
)

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
	if fast, _ := e.stretches(e.levels, s); e.regular(e.levels, s) && fast[0] > 1.5*stat.Median(fast[1:]) {
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
	if returns == 0 || floats.Sum(slow) > 0.75*all {
		return false
	}
	if typical := stat.Median(slow) * e.recording.width; typical < longestMoment {
		f.add(-1.5, "it lasts %.0f s each time, as what a drive does for itself", typical)
	}
	return true
}

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
