package explain

import (
	"fmt"
	"math"

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
	f.add(-0.3*float64(steps), "it fell in %d steps", steps+1)
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

func plural(n int, what string) string {
	if n == 1 {
		return "a " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
