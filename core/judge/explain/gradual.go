package explain

import "math"

// bend is a series that holds, then goes over to another level.
type bend struct {
	at    int // the moving bin where it begins
	curve []float64
	from  float64
	to    float64
	sum   float64 // of squares that are left
}

// latestBend is the share of a recording after which a bend is not looked for.
const latestBend = 0.9

// way is how a series goes over from one level to another: the shape, from 0 to 1, after
// so many bins of as many as it takes.
type way func(since, takes float64) float64

// relaxing goes over as what settles does, ramping evenly.
func relaxing(since, takes float64) float64 { return 1 - math.Exp(-2*since/takes) }

func ramping(since, takes float64) float64 { return min(since/takes, 1) }

// bends are the best ways of going over of a recording, found once.
type bends struct {
	found                        bool
	relaxing, ramping, fromStart bend
}

// bent gives them.
func (e *evidence) bent() *bends {
	if !e.bends.found {
		e.bends = bends{true, e.overGoing(relaxing, latestBend), e.overGoing(ramping, latestBend),
			e.overGoing(relaxing, 0)}
	}
	return &e.bends
}

// overGoing fits levels before and after, with a way of going over that depends on where
// it begins, up to a share of the recording, and how long it takes. The best of all is
// given; if there is none, its sum is infinite.
func (e *evidence) overGoing(w way, latest float64) bend {
	n := len(e.plain)
	best, takenBy := bend{sum: math.Inf(1)}, 0.0
	const starts, lengths, longer = 40, 14, 40
	shape, whole := make([]float64, n), make([]float64, n)
	for l := range lengths {
		takes := float64(n) * 0.02 * math.Pow(longer, float64(l)/(lengths-1))
		if takes < 2 {
			continue
		}
		for i := range whole {
			whole[i] = w(float64(i), takes)
		}
		for a := range starts {
			at := int(float64(a*n) * latest / starts)
			if a > 0 && latest == 0 {
				break
			}
			clear(shape[:at])
			copy(shape[at:], whole)
			if from, to, sum := twoLevels(e.plain, shape); sum < best.sum {
				best, takenBy = bend{at: at, from: from, to: to, sum: sum}, takes
			}
		}
	}
	if math.IsInf(best.sum, 1) {
		return best
	}
	e.refineBend(&best, &takenBy, w, latest)
	best.curve = make([]float64, n)
	w.draw(best.curve, best.at, takenBy)
	for i, reached := range best.curve {
		best.curve[i] = best.from + (best.to-best.from)*reached
	}
	return best
}

// draw writes the shape of a way that begins somewhere.
func (w way) draw(shape []float64, at int, takes float64) {
	for i := range shape {
		shape[i] = 0
		if i >= at {
			shape[i] = w(float64(i-at), takes)
		}
	}
}

// refineBend moves a bend by ever smaller steps for as long as that brings it closer.
func (e *evidence) refineBend(best *bend, takes *float64, w way, latest float64) {
	n := len(e.plain)
	shape := make([]float64, n)
	step, factor := max(n/80, 1), 1.15
	for range 40 {
		moved := false
		for _, try := range []struct {
			at    int
			takes float64
		}{{best.at - step, *takes}, {best.at + step, *takes}, {best.at, *takes * factor}, {best.at, *takes / factor},
			{best.at - step, *takes * factor}, {best.at + step, *takes / factor}} {
			if try.at < 0 || float64(try.at) > latest*float64(n) || try.takes < 1 || try.takes > 2*float64(n) {
				continue
			}
			w.draw(shape, try.at, try.takes)
			if from, to, sum := twoLevels(e.plain, shape); sum < best.sum {
				*best, *takes, moved = bend{at: try.at, from: from, to: to, sum: sum}, try.takes, true
			}
		}
		switch {
		case moved:
		case step == 1 && factor < 1.01:
			return
		default:
			step, factor = max(step/2, 1), 1+(factor-1)/2
		}
	}
}

// twoLevels are the least squares levels of y = from + (to - from) shape.
func twoLevels(y, shape []float64) (from, to, sum float64) {
	n := float64(len(y))
	var sx, sy, sxx, sxy, syy float64
	for i := range y {
		sx, sy = sx+shape[i], sy+y[i]
		sxx, sxy, syy = sxx+shape[i]*shape[i], sxy+shape[i]*y[i], syy+y[i]*y[i]
	}
	d := n*sxx - sx*sx
	if d < 1e-9 {
		return 0, 0, math.Inf(1)
	}
	slope := (n*sxy - sx*sy) / d
	from = (sy - slope*sx) / n
	return from, from + slope, syy - from*sy - slope*sxy
}

// bendCost is that of where it begins, how long it takes and where it ends.
func (e *evidence) bendCost() float64 { return math.Log(float64(len(e.at))) + 1.5 + levelCost }

// oneBend is a bend in place of all changes.
func (e *evidence) oneBend(b bend) fit {
	f := fit{curve: b.curve, slow: [][2]int{{b.at, len(e.at)}}}
	f.add(e.free-e.bendCost(), "one bend explains what %d changes do", len(e.changes))
	e.lies(&f)
	return f
}

// lies adds how close throughput lies to a fit's curve, beside levels.
func (e *evidence) lies(f *fit) {
	f.either(e.misfit(f.curve)-e.baseline, "throughput lies closer to it than to levels", "throughput lies far from it")
}

// fitHeld is a drive that slows itself by as much as holds a temperature.
func fitHeld(e *evidence) (fit, bool) {
	if len(e.changes) == 0 || len(e.sensors) == 0 || !e.someFall() {
		return fit{}, false
	}
	b := e.bent().relaxing
	if ramp := e.bent().ramping; ramp.sum < b.sum {
		b = ramp
	}
	if b.curve == nil || b.to > b.from-leastChange {
		return fit{}, false
	}
	f := e.oneBend(b)
	two := []level{{from: 0, to: b.at, y: b.from}, {from: b.at, to: len(e.at), y: b.to}}
	h, known := e.heatOf(two, states{of: []int{0, 1}, count: 2, middle: []float64{b.from, b.to}})
	if !known {
		return fit{}, false
	}
	if h.sensor.place == HostSensor {
		f.add(-2, "the only temperatures are the host's")
	}
	e.fellAt(&f, h)
	f.either(e.holds(h, b), "from then on the temperature holds, though the load does not",
		"from then on the temperature does not hold")
	e.heatCounters(&f)
	f.figures = append(f.figures, h.on)
	return f, true
}

// holds is what it is worth that a temperature stays where it was when throughput began
// to fall: by the load alone, it would have come down by the same share.
func (e *evidence) holds(h heatFit, b bend) float64 {
	warm := h.sensor.over(e.at, e.recording.width, h.lag)
	before := typicalOf(warm[max(b.at-3, 0):min(b.at+4, len(warm))])
	low, _ := h.sensor.span()
	late := typicalOf(warm[b.at+(len(warm)-b.at)*2/3:])
	early := typicalOf(warm[b.at+(len(warm)-b.at)/6 : b.at+(len(warm)-b.at)/2+1])
	if math.IsNaN(before) || math.IsNaN(late) || math.IsNaN(early) {
		return 0
	}
	expected := (1 - math.Exp(b.to-b.from)) * (before - low) * 0.7
	away := max(math.Abs(late-early), math.Abs(late-before)/2)
	switch {
	case away > 3 && late < before:
		return -min((away-3)*0.8, 5)
	case expected < 3:
		return 0
	}
	return min(2.5*math.Log(expected/(away+0.7)), 5)
}

// fitGradual is a fast write area that fills up little by little.
func fitGradual(e *evidence) (fit, bool) {
	if len(e.changes) == 0 || !e.onlyFalls(12) {
		return fit{}, false
	}
	b := e.bent().ramping
	if b.curve == nil || b.to > b.from-leastChange {
		return fit{}, false
	}
	f := e.oneBend(b)
	e.coupling(&f, true)
	return f, true
}
