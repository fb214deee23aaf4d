package explain

import (
	"math"

	"opengauge/core/stat"
)

// fitFree is the rival without any reason: levels whenever they like, which all others
// are held against; or slopes between them; or levels that come again, nobody knows why.
func fitFree(e *evidence) (fit, bool) {
	if len(e.changes) == 0 {
		return fit{}, false
	}
	f := fit{curve: e.levelCurve(), slow: e.below()}
	again := e.recurs(e.levels) - againCost
	slopes := e.slopes()
	sloped := e.misfit(slopes) - e.baseline
	b, bent := e.bent().relaxing, math.Inf(-1)
	if b.curve != nil {
		bent = e.free - e.bendCost() + e.misfit(b.curve) - e.baseline - bendForNothing
	}
	switch {
	case bent > max(sloped, again, 0):
		f.curve = b.curve
		f.add(bent, "throughput goes over to another level little by little, for whatever reason")
	case sloped > max(again, 0):
		f.curve = slopes
		f.add(sloped, "throughput goes over from level to level little by little")
	case again > 0:
		f.add(again, "the same levels come again, for whatever reason")
	}
	return f, true
}

// againCost is what it costs that levels come again and nobody knows why, and
// bendForNothing that they go over to another one.
const againCost, bendForNothing = 2.5, 1.5

// slopes are straight lines from the middle of each level to that of the next.
func (e *evidence) slopes() []float64 {
	curve := e.levelCurve()
	middle := func(l level) int { return (l.from + l.to) / 2 }
	for k := 1; k < len(e.levels); k++ {
		a, b := e.levels[k-1], e.levels[k]
		from, to := middle(a), middle(b)
		if k == 1 {
			from = a.from
		}
		if k == len(e.levels)-1 {
			to = b.to
		}
		for i := from; i < to; i++ {
			curve[i] = a.y + (b.y-a.y)*float64(i-from)/float64(to-from)
		}
	}
	return curve
}

// below gives the stretches of moving bins that are slower than the fastest level.
func (e *evidence) below() [][2]int { return slower(nil, e.levels) }

// slower adds the stretches of levels that are slower than the fastest of them; one that
// begins where the last one ends goes on with it.
func slower(found [][2]int, levels []level) [][2]int {
	top := topOf(levels)
	for _, l := range levels {
		switch n := len(found); {
		case l.y >= top-oneLevel:
		case n > 0 && found[n-1][1] == l.from:
			found[n-1][1] = l.to
		default:
			found = append(found, [2]int{l.from, l.to})
		}
	}
	return found
}

// fitSteady is one level.
func fitSteady(e *evidence) (fit, bool) {
	f := fit{curve: make([]float64, len(e.at))}
	middle := stat.Median(e.plain)
	for i := range f.curve {
		f.curve[i] = middle
	}
	if len(e.changes) > 0 {
		f.add(e.free, "one level explains what %d changes do", len(e.changes))
	}
	for _, c := range e.changes {
		f.add(-min(c.errors*c.errors/2, mostByChange), "a change of %.0f standard errors at %.0f s", c.errors, c.atSecond)
	}
	return f, true
}

// mostByChange is the most that one change counts against there being none.
const mostByChange = 16.0

// fitDrift is a smooth change over the whole pass, of no more than a second degree.
func fitDrift(e *evidence) (fit, bool) {
	if len(e.changes) == 0 {
		return fit{}, false
	}
	curve, ok := quadratic(e.plain)
	if !ok {
		return fit{}, false
	}
	f := fit{curve: curve}
	const slopes = 3.5
	f.add(e.free-slopes, "one slope explains what %d changes do", len(e.changes))
	e.lies(&f)
	turn := 0.0
	for i := range curve {
		turn = max(turn, curve[i]-curve[0], curve[len(curve)-1]-curve[i])
	}
	if curve[len(curve)-1] < curve[0] { // it falls: rises on the way are not a drift's
		f.add(-min(turn*20, 6), "it does not go one way")
	} else {
		f.add(-2, "it becomes faster")
	}
	return f, true
}

// quadratic is the parabola nearest to a series.
func quadratic(y []float64) ([]float64, bool) {
	var s [5]float64
	var t [3]float64
	n := float64(len(y))
	for i, v := range y {
		x := 2*float64(i)/n - 1
		p := 1.0
		for k := range s {
			s[k] += p
			if k < 3 {
				t[k] += v * p
			}
			p *= x
		}
	}
	// Cramer's rule for the three normal equations.
	det := func(a, b, c, d, e, f, g, h, i float64) float64 {
		return a*(e*i-f*h) - b*(d*i-f*g) + c*(d*h-e*g)
	}
	whole := det(s[0], s[1], s[2], s[1], s[2], s[3], s[2], s[3], s[4])
	if math.Abs(whole) < 1e-9 {
		return nil, false
	}
	a := det(t[0], s[1], s[2], t[1], s[2], s[3], t[2], s[3], s[4]) / whole
	b := det(s[0], t[0], s[2], s[1], t[1], s[3], s[2], t[2], s[4]) / whole
	c := det(s[0], s[1], t[0], s[1], s[2], t[1], s[2], s[3], t[2]) / whole
	curve := make([]float64, len(y))
	for i := range curve {
		x := 2*float64(i)/n - 1
		curve[i] = a + b*x + c*x*x
	}
	return curve, true
}

// fitRamp is a start that is slow, and speed that holds from then on.
func fitRamp(e *evidence) (fit, bool) {
	if len(e.changes) == 0 || e.changes[0].falls() {
		return fit{}, false
	}
	if b := e.bent().fromStart; b.curve != nil && b.to > b.from {
		f := fit{curve: b.curve}
		f.add(e.free-levelCost-2, "one bend from the start explains what %d changes do", len(e.changes))
		e.lies(&f)
		if f.nats() > e.free-2*levelCost {
			return f, true
		}
	}
	last := e.changes[len(e.changes)-1]
	for _, c := range e.changes {
		if c.falls() {
			return fit{}, false
		}
	}
	// Most of the pass has to be at speed.
	share := float64(last.at) / float64(len(e.at))
	if share > 0.3 {
		return fit{}, false
	}
	f := fit{curve: e.levelCurve()}
	f.add(e.free-2*levelCost, "it only rises, within the first %.0f %% of the pass", share*100)
	return f, true
}

const (
	// longestMoment is the longest, in seconds, that housekeeping takes, and
	// mostHousekeeping the share of time that it does.
	longestMoment, mostHousekeeping = 15.0, 0.4
)

// fitHousekeeping is short stretches from which throughput comes back to what it was.
func fitHousekeeping(e *evidence) (fit, bool) {
	if len(e.changes) < 2 || e.changes[0].rested > 0 {
		return fit{}, false
	}
	s := e.statesOf(e.levels)
	slow, longest := 0.0, max(longestMoment, 2*e.recording.width)
	for i, l := range e.levels {
		if s.of[i] == 0 {
			continue
		}
		if lasts := float64(l.bins()) * e.recording.width; lasts > longest {
			return fit{}, false
		}
		slow += float64(l.bins())
	}
	if slow > mostHousekeeping*float64(len(e.at)) {
		return fit{}, false
	}
	f := fit{curve: e.levelCurve(), slow: e.below()}
	f.add(e.recurs(e.levels), "throughput comes back to the same level each time")
	f.add(1.5, "each takes less than %.0f s", longest)
	return f, true
}
