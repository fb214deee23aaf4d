package explain

import (
	"fmt"
	"math"
)

const (
	// drives protect themselves at about this temperature of their own, give or take
	// (NVM Express Base Specification 2.0, 5.27.1.13, lets makers set warnings;
	// published ones are from 60 to 95 °C).
	usualLimit, limitSpread = 74.0, 9.0
	// coolestLimit is cooler than any drive's own that minds.
	coolestLimit = 42.0
	// coldest and hottest thresholds that are tried, in steps.
	coldestLimit, hottestLimit, limitStep = 22.0, 112.0, 0.5
	// widestBand is the most between the temperatures at which a drive slows itself and
	// is fast again, and usualBand about what it is.
	widestBand, usualBand = 26.0, 8.0
	// perSecond is how likely a drive that is past its threshold slows itself within a
	// second: controllers look every few.
	perSecond = 0.15
)

// softness are how exactly a threshold is kept, in kelvins, and how often: sensors are
// coarse and late.
var softness = []struct{ kelvins, share float64 }{{0.5, 0.45}, {1.1, 0.4}, {2.4, 0.15}}

// Names of what heat explanations say of a drive.
const (
	OnFigure  = "throttle_at_celsius"
	OffFigure = "resume_at_celsius"
)

// lags are how late sensors may be, in seconds.
var lags = map[Place][]float64{
	OwnSensor: {0, 4}, ProbeSensor: {0, 10, 25, 60, 120}, HostSensor: {0, 20, 60},
}

// firstCycles and lastCycle are how many levels of a regular recording are asked for
// their temperatures.
const firstCycles, lastCycle = 5, 3

// heatFit is a pair of thresholds as they lie best.
type heatFit struct {
	sensor       *sensor
	lag          float64
	falls, rises float64 // worth beside changes at an even rate
	on, off      Figure
	// counted are the falls and rises that thresholds explain.
	nFalls, nRises int
}

func (h heatFit) nats() float64 { return h.falls + h.rises }

// heatOf looks for the sensor and the thresholds by which levels change.
func (e *evidence) heatOf(levels []level, s states) (heatFit, bool) {
	best, found := heatFit{}, false
	count := 0.0
	for _, each := range e.sensors {
		for _, lag := range lags[each.place] {
			count++
			h, ok := e.thresholds(each, lag, levels, s)
			if ok && (!found || h.nats() > best.nats()) {
				best, found = h, true
			}
		}
	}
	if found && count > 1 {
		best.falls -= math.Log(count) / 2
	}
	return best, found
}

// tried is temperatures at which levels could have changed, and at which they did, up
// and down, by how slow it is already: three states are told apart.
type tried struct {
	up, down       [3]trial
	nFalls, nRises int
}

// try gathers, for the temperatures of moving bins, where levels changed and where not.
func (e *evidence) try(warm []float64, levels []level, s states) tried {
	var t tried
	regular := e.regular(levels, s)
	for i, l := range levels {
		// The first cycles and the last say what a threshold says; those between only
		// that it is regular.
		if regular && i > firstCycles && i < len(levels)-lastCycle {
			continue
		}
		state := min(s.of[i], len(t.up)-1)
		falls, rises, rested := false, false, false
		if i+1 < len(levels) {
			falls = levels[i+1].y < l.y-oneLevel
			rises = levels[i+1].y > l.y+oneLevel
			rested = e.restedBefore(levels[i+1].from) > 2*e.recording.width+3
		}
		margin := 0
		if falls || rises {
			margin = 1
		}
		for b := l.from; b < l.to-margin; b++ {
			t.up[state].stay(warm[b])
			if s.of[i] > 0 {
				t.down[state].stay(-warm[b])
			}
		}
		switch {
		case rested || !falls && !rises:
		case falls:
			t.up[state].change(extreme(warm, levels[i+1].from, 1))
			t.nFalls++
		default:
			t.down[state].change(-extreme(warm, levels[i+1].from, -1))
			t.nRises++
		}
	}
	return t
}

// thresholds fits at which temperature levels fall and rise, for one sensor and lag.
func (e *evidence) thresholds(each *sensor, lag float64, levels []level, s states) (heatFit, bool) {
	t := e.try(each.over(e.at, e.recording.width, lag), levels, s)
	h := heatFit{sensor: each, lag: lag, nFalls: t.nFalls, nRises: t.nRises}
	if h.nFalls == 0 || len(t.up[0].events) > 0 && t.up[0].known() == 0 {
		return h, false
	}
	hazard := 1 - math.Exp(-perSecond*e.recording.width)
	ons := [3]float64{}
	for state := range t.up {
		up := &t.up[state]
		if ons[state] == 0 {
			ons[state] = h.on.Value
		}
		if len(up.events) == 0 && state > 0 {
			continue
		}
		prior := limitPrior(each.place)
		if state > 0 && each.place != HostSensor {
			prior = stagePrior(ons[state])
		}
		worth, figure := up.marginal(hazard, prior)
		h.falls += worth - constant(float64(len(up.events)), up.bins(), e.scale())
		if state+1 < len(ons) {
			ons[state+1] = figure.Value
		}
		if h.on.Name == "" && len(up.events) > 0 {
			h.on = figure
			h.on.Name = OnFigure
		}
	}
	for state := range t.down {
		down := &t.down[state]
		if down.bins() == 0 {
			continue
		}
		worth, figure := down.marginal(hazard, bandPrior(ons[state]))
		h.rises += worth - constant(float64(len(down.events)), down.bins(), e.scale())
		if len(down.events) > 0 {
			h.off = Figure{Name: OffFigure, Value: -figure.Value, Low: -figure.High, High: -figure.Low}
		}
	}
	return h, true
}

// extreme is the greatest reading near a bin times a sign, with it.
func extreme(warm []float64, at int, sign float64) float64 {
	best := math.NaN()
	for i := max(at-2, 0); i <= min(at+1, len(warm)-1); i++ {
		if v := warm[i]; !math.IsNaN(v) && (math.IsNaN(best) || v*sign > best*sign) {
			best = v
		}
	}
	return best
}

// limitPrior is how likely a drive slows itself at a temperature, by where the sensor
// sits: nothing absolute is asked of one that is not the drive's.
func limitPrior(place Place) func(float64) float64 {
	flat := 1 / (hottestLimit - coldestLimit)
	if place != OwnSensor {
		return func(float64) float64 { return flat }
	}
	return func(on float64) float64 {
		z := (on - usualLimit) / limitSpread
		other := 0.02 * flat
		if on < coolestLimit {
			other = 1e-3 * flat
		}
		return 0.98*math.Exp(-z*z/2)/(limitSpread*math.Sqrt(2*math.Pi)) + other
	}
}

// stagePrior is how likely a drive slows itself more at a temperature, when it began to
// at another: its stages lie a few kelvins apart.
func stagePrior(before float64) func(float64) float64 {
	const apart, about = 6.0, 4.0
	return func(on float64) float64 {
		z := (on - before - apart) / about
		return math.Exp(-z*z/2)/(about*math.Sqrt(2*math.Pi)) + 1e-5
	}
}

// bandPrior is how likely a drive is fast again at a temperature, negated, when it
// slowed itself at another.
func bandPrior(on float64) func(float64) float64 {
	return func(negated float64) float64 {
		band := on + negated
		if band < -1 || band > widestBand {
			return 0
		}
		return math.Exp(-max(band, 0)/usualBand) / (usualBand + 1)
	}
}

// trial is temperatures at which a change could have come, and at which it did.
type trial struct {
	counts map[int]float64
	events []float64
}

// grid is the step, in kelvins, in which temperatures are counted.
const grid = 0.25

func (t *trial) stay(celsius float64) {
	if math.IsNaN(celsius) {
		return
	}
	if t.counts == nil {
		t.counts = map[int]float64{}
	}
	t.counts[int(math.Round(celsius/grid))]++
}

func (t *trial) change(celsius float64) { t.events = append(t.events, celsius) }

func (t *trial) bins() float64 {
	sum := 0.0
	for _, n := range t.counts {
		sum += n
	}
	return sum
}

func (t *trial) known() int {
	known := 0
	for _, at := range t.events {
		if !math.IsNaN(at) {
			known++
		}
	}
	return known
}

// marginal is the logarithm of the likelihood of a trial over all thresholds, and the
// threshold that is left.
func (t *trial) marginal(hazard float64, prior func(float64) float64) (float64, Figure) {
	low, high := t.reach()
	var at, logs []float64
	best := math.Inf(-1)
	for threshold := low; threshold <= high; threshold += limitStep {
		weight := prior(threshold) * limitStep
		if weight <= 0 {
			continue
		}
		sum := 0.0
		for _, soft := range softness {
			sum += soft.share * math.Exp(t.likelihood(threshold, soft.kelvins, hazard))
		}
		value := math.Log(max(sum, 1e-300)) + math.Log(weight)
		at, logs = append(at, threshold), append(logs, value)
		best = max(best, value)
	}
	// Thresholds that were never reached say nothing against any other.
	if len(at) == 0 {
		return -30, Figure{}
	}
	total := 0.0
	for i := range logs {
		logs[i] = math.Exp(logs[i] - best)
		total += logs[i]
	}
	return best + math.Log(total), quantiles(at, logs, total)
}

// reach is the thresholds that are tried.
func (t *trial) reach() (low, high float64) {
	low, high = coldestLimit, hottestLimit
	for _, at := range t.events {
		if at < 0 { // negated
			return -hottestLimit, -coldestLimit + 12
		}
	}
	for bin := range t.counts {
		if bin < 0 {
			return -hottestLimit, -coldestLimit + 12
		}
	}
	return low, high
}

// likelihood is the logarithm of that of a trial for one threshold.
func (t *trial) likelihood(threshold, soft, hazard float64) float64 {
	sum := 0.0
	for bin, count := range t.counts {
		x := (float64(bin)*grid - threshold) / soft
		if x < -8 {
			continue
		}
		sum += count * math.Log1p(-hazard*logistic(x))
	}
	for _, at := range t.events {
		if math.IsNaN(at) {
			sum += math.Log(hazard) - 4
			continue
		}
		sum += max(math.Log(hazard*logistic((at-threshold)/soft)), -12)
	}
	return sum
}

// quantiles are the middle and the 95 % of a distribution over a grid.
func quantiles(at, weights []float64, total float64) Figure {
	f := Figure{Value: at[0], Low: at[0], High: at[len(at)-1]}
	sum := 0.0
	marks := []struct {
		share float64
		into  *float64
	}{{0.025, &f.Low}, {0.5, &f.Value}, {0.975, &f.High}}
	for i := range at {
		sum += weights[i]
		for len(marks) > 0 && sum >= marks[0].share*total {
			*marks[0].into, marks = at[i], marks[1:]
		}
	}
	return f
}

// fitOnOff is a drive that slows itself at a temperature, once or in steps, and is fast
// again at a lower one.
func fitOnOff(e *evidence) (fit, bool) {
	if len(e.changes) == 0 || !e.someFall() {
		return fit{}, false
	}
	s := e.statesOf(e.levels)
	f := fit{curve: e.levelCurve(), slow: e.below()}
	f.add(e.order(e.levels, s, s.count), "the same levels come again")
	f.add(-1.2*float64(max(s.count-2, 0)), "there are %d levels", s.count)
	e.edges(&f)
	e.heatFacts(&f, e.levels, s)
	e.heatCounters(&f)
	return f, s.count > 1
}

func (e *evidence) someFall() bool {
	for _, c := range e.changes {
		if c.falls() {
			return true
		}
	}
	return false
}

// heatFacts adds what temperatures say of heat.
func (e *evidence) heatFacts(f *fit, levels []level, s states) {
	h, known := e.heatOf(levels, s)
	if !known {
		e.withoutSensors(f, levels, s)
		return
	}
	if h.sensor.place == HostSensor {
		f.add(-2, "the only temperatures are the host's")
	}
	e.fellAt(f, h)
	if h.nRises > 0 {
		f.either(h.rises, fmt.Sprintf("when it came back, it was at about %.0f °C (%s)", h.off.Value, times(h.nRises)),
			"it came back at temperatures that are no threshold")
		f.figures = append(f.figures, h.off)
	} else {
		f.either(h.rises, "it did not come back, and did not cool by more than such a drive waits for",
			"it did not come back, as cool as it was")
	}
	f.figures = append(f.figures, h.on)
	e.rhythm(f, levels, s, 1)
	e.coupling(f, true)
}

// fellAt adds at which temperature throughput fell.
func (e *evidence) fellAt(f *fit, h heatFit) {
	f.either(h.falls, fmt.Sprintf("when it fell, the %s was at about %.0f °C (%s)", h.sensor.name, h.on.Value,
		times(h.nFalls)), fmt.Sprintf("it fell at temperatures of the %s that are no threshold, or unlikely for one",
		h.sensor.name))
	for _, c := range e.changes {
		if !c.falls() {
			continue
		}
		if h.sensor.stood(e, c.at) {
			f.add(-1.5, "the temperature had stood still before it first fell")
		}
		break
	}
}

// Where a temperature has hardly changed for so long, in seconds or as a share of the
// time so far, and by so little, in kelvins, no threshold is crossed.
const standingSeconds, standingShare, standing = 40.0, 0.15, 0.35

// stood says whether a temperature stood still before a moving bin.
func (s *sensor) stood(e *evidence, before int) bool {
	width := e.recording.width
	bins := int(max(standingSeconds, standingShare*float64(before)*width) / width)
	if s.place != OwnSensor || bins < 8 || before < bins {
		return false
	}
	values := s.over(e.at[before-bins:before], width, 0)
	early, late := typicalOf(values[:bins/2]), typicalOf(values[bins/2:])
	low, high := math.Inf(1), math.Inf(-1)
	for _, v := range values {
		if !math.IsNaN(v) {
			low, high = min(low, v), max(high, v)
		}
	}
	return late-early <= standing && high-low <= max(2*s.grain, 1.5)
}

// rhythm adds what a threshold does from cold: the first fast stretch is the longest,
// and those after it are alike; weight is how much of it counts.
func (e *evidence) rhythm(f *fit, levels []level, s states, weight float64) {
	if !e.regular(levels, s) {
		return
	}
	fast, _ := e.stretches(levels, s)
	if len(fast) < 3 { // what comes again comes below the first level
		later, _ := e.stretches(levels[1:], twoStates(levels[1:]))
		fast = append([]float64{float64(levels[0].bins())}, later...)
	}
	const longer = 1.5
	cold := fast[0] > longer*medianOf(fast[1:])
	if !cold && len(fast) > 3 { // or the first of the milder stage is
		cold = fast[1] > longer*medianOf(fast[2:])
	}
	if cold {
		f.add(2*regularly*weight, "the first fast stretch is the longest, and the others are alike: it began cold")
	} else {
		f.add(regularly*(2*weight-1), "fast and slow stretches are alike")
	}
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

// withoutSensors says what heat looks like that nobody measured.
func (e *evidence) withoutSensors(f *fit, levels []level, s states) {
	f.add(-0.7, "no temperature was recorded")
	if last := levels[len(levels)-1]; len(levels) == 2 && last.bins() > levels[0].bins() {
		f.add(-1.2, "it was slow for longer than it was fast, and did not come back")
	}
	if fast, slow := e.stretches(levels, s); len(fast) < 3 || len(slow) < 2 {
		return
	}
	if !e.regular(levels, s) {
		f.add(-2, "neither fast nor slow stretches are alike")
	}
	const alone = 0.7 // jobs of somebody else's have a rhythm too
	e.rhythm(f, levels, s, alone)
}

// heatCounters adds what the drive says itself.
func (e *evidence) heatCounters(f *fit) {
	switch {
	case !e.context.Counted:
	case e.context.Slowdowns > 0:
		f.add(6, "the drive counted %d slowdowns of its own", e.context.Slowdowns)
	default:
		f.add(-6, "the drive counted no slowdown of its own")
	}
}

// fitLatched is a drive that slowed itself at a temperature and stayed slow.
func fitLatched(e *evidence) (fit, bool) {
	if !e.onlyFalls(1) {
		return fit{}, false
	}
	s := e.statesOf(e.levels)
	if s.count != 2 {
		return fit{}, false
	}
	f := fit{curve: e.levelCurve(), slow: e.below()}
	f.add(e.order(e.levels, s, s.count), "one level, and a lower one")
	e.edges(&f)
	h, known := e.heatOf(e.levels, s)
	if !known {
		f.add(-1.5, "no temperature was recorded")
	} else {
		e.fellAt(&f, h)
		f.figures = append(f.figures, h.on)
		e.coupling(&f, true)
	}
	f.add(e.never(float64(e.levels[1].bins())), "it stayed slow")
	if half := e.levels[1].y - e.levels[0].y + math.Ln2; math.Abs(half) < 0.05 {
		f.add(0.5, "it fell to a half, as stages do")
	}
	e.heatCounters(&f)
	return f, true
}

// coupling adds what it says that temperature follows the load: so it does where the
// drive that is measured is the one that is slowed.
func (e *evidence) coupling(f *fit, local bool) {
	strongest, seen, still := 0.0, false, false
	for _, s := range e.sensors {
		if s.place != OwnSensor && s.place != ProbeSensor {
			continue
		}
		t, visible := s.follows(e)
		strongest, seen = max(strongest, t), seen || visible
		still = still || s.place == OwnSensor && s.still(e)
	}
	follows := strongest > 3.5
	switch {
	case still && local:
		f.add(-1.5, "its temperature does not move, though the load does")
	case still:
		f.add(1, "a temperature that does not move with the load is not of what changed")
	case follows && local:
		f.add(0.5, "it warms with the load")
	case follows:
		f.add(-3, "it warms with the load, so the load is what changed")
	case seen && local:
		f.add(-1.5, "its temperature does not follow the load")
	case seen:
		f.add(0.7, "its temperature does not follow the load")
	}
}
