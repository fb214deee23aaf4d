package explain

import (
	"math"
)

// change is where one level ends and another begins.
type change struct {
	at       int // the first moving bin of the level after
	before   int // numbers of the levels
	after    int
	by       float64
	rested   float64 // seconds just before in which nothing moved, or nobody looked
	atSecond float64
	errors   float64 // how many standard errors it is
}

func (c change) falls() bool { return c.by < 0 }

// evidence is a recording prepared for all explanations.
type evidence struct {
	recording *recording
	context   Context
	at        []int     // the moving bins
	y         []float64 // logarithm of the rate of each
	plain     []float64 // y without single bins that stand out
	levels    []level
	noise     noise
	changes   []change
	sensors   []*sensor
	free      float64 // what a change costs an explanation without any order
	baseline  float64 // misfit of the levels as they are
	bends     bends
	coupled   coupled
}

// longestDip is how long, in seconds, an excursion is that housekeeping makes.
const longestDip = 7.0

// gather prepares a recording.
func gather(r *recording, c Context) *evidence {
	e := &evidence{recording: r, context: c, at: r.moving()}
	e.y = make([]float64, len(e.at))
	for i, bin := range e.at {
		e.y[i] = math.Log(r.bins[bin].rate())
	}
	e.plain = smooth(e.y)
	e.levels, e.noise = cut(e.plain)
	e.levels = e.withoutEdges(e.levels)
	for _, s := range r.sensors {
		if s.usable() {
			e.sensors = append(e.sensors, s)
		}
	}
	longest := max(int(longestDip/r.width), 1)
	e.levels = withoutDips(e.plain, e.levels, e.noise, longest)
	e.findChanges()
	e.coupled = e.coupledBy()
	e.free = e.freeCost()
	e.baseline = e.misfit(e.levelCurve())
	return e
}

// withoutEdges takes out levels of a bin or two that are only the way from one level to
// another, or of a bin that something began in the middle of: they go to the neighbour
// that is nearer.
func (e *evidence) withoutEdges(levels []level) []level {
	const longest = 2
	var left []level
	for i, l := range levels {
		if i == 0 || i+1 == len(levels) || l.bins() > longest {
			left = append(left, l)
			continue
		}
		before, after := levels[i-1], levels[i+1]
		way := (before.y-l.y)*(l.y-after.y) > 0
		broken := e.restedBefore(l.from) > 0 || e.restedBefore(after.from) > 0
		// A moment with less than both, where one level goes over to another.
		moment := l.y < min(before.y, after.y) && math.Abs(before.y-after.y) > leastChange
		if !way && !broken && !moment {
			left = append(left, l)
			continue
		}
		if math.Abs(before.y-l.y) < math.Abs(after.y-l.y) {
			left[len(left)-1].to = l.to
		} else {
			levels[i+1].from = l.from
		}
	}
	return merge(e.plain, left, e.noise)
}

// findChanges lists where levels meet.
func (e *evidence) findChanges() {
	for i := 1; i < len(e.levels); i++ {
		at := e.levels[i].from
		e.changes = append(e.changes, change{
			at: at, before: i - 1, after: i, by: e.levels[i].y - e.levels[i-1].y, rested: e.restedBefore(at),
			atSecond: e.recording.bins[e.at[at]].from,
			errors:   standardErrors(&e.levels[i-1], &e.levels[i], e.noise),
		})
	}
}

// movedUntil is the bytes before a moving bin.
func (e *evidence) movedUntil(at int) float64 {
	sum := 0.0
	for i := range e.at[at] {
		sum += e.recording.bins[i].bytes
	}
	return sum
}

// restedBefore is for how many seconds about the start of a moving bin nothing moved,
// or nobody looked: a change is known to a bin or two.
func (e *evidence) restedBefore(at int) float64 {
	most := 0.0
	for i := max(at-2, 1); i <= min(at+2, len(e.at)-1); i++ {
		most = max(most, float64(e.at[i]-e.at[i-1]-1)*e.recording.width)
	}
	return most
}

// scale is a minute, in bins: how often changes come that nothing is known of.
func (e *evidence) scale() float64 { return max(60/e.recording.width, 4) }

// freeCost is what the changes cost an explanation that lets them come whenever they
// like, to whatever level.
func (e *evidence) freeCost() float64 {
	n := float64(len(e.changes))
	return -constant(n, float64(len(e.at)), e.scale()) + n*(levelCost+math.Ln2)
}

// levelCost is that of a level anywhere from 3 % to all of the fastest.
var levelCost = math.Log(3.5)

// constant is the logarithm of the likelihood of n events in so many bins, when they
// come at an even rate of which only the scale is known: a beta prior with one event
// in it.
func constant(n, bins, scale float64) float64 {
	return logBeta(1+n, scale+max(bins-n, 0)) - logBeta(1, scale)
}

func logBeta(a, b float64) float64 {
	x, _ := math.Lgamma(a)
	y, _ := math.Lgamma(b)
	z, _ := math.Lgamma(a + b)
	return x + y - z
}

// levelCurve is the levels as a curve over the moving bins.
func (e *evidence) levelCurve() []float64 {
	curve := make([]float64, len(e.at))
	for _, l := range e.levels {
		for i := l.from; i < l.to; i++ {
			curve[i] = l.y
		}
	}
	return curve
}

const (
	// mostBlocks that a curve is judged by, if it does not change more often, mostMisfit what
	// a block may count against it, and looseness how far a block may be off besides noise,
	// as no model is exact.
	mostBlocks, mostMisfit, looseness = 24, 5.0, 0.02
)

// misfit is the logarithm of how badly a curve lies to a recording, by blocks.
func (e *evidence) misfit(curve []float64) float64 {
	blocks := max(mostBlocks, 3*len(e.changes))
	size := max((len(e.plain)+blocks-1)/blocks, 3)
	total := 0.0
	for from := 0; from < len(e.plain); from += size {
		to := min(from+size, len(e.plain))
		sum := 0.0
		for i := from; i < to; i++ {
			sum += math.Abs(e.plain[i] - curve[i])
		}
		// The mean distance of noise alone is 0.8 deviations.
		mean := max(sum/float64(to-from)-0.8*e.noiseAt(from, to), 0)
		z := mean / (looseness + 0.5*e.noise.deviation)
		total -= min(z*z/2, mostMisfit)
	}
	return total
}

// noiseAt is the noise of the level that most of a block lies in.
func (e *evidence) noiseAt(from, to int) float64 {
	middle := (from + to) / 2
	for _, l := range e.levels {
		if middle < l.to {
			return max(l.noise, e.noise.deviation)
		}
	}
	return e.noise.deviation
}
