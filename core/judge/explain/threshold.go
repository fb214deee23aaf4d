package explain

import "math"

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
	t := tried{}
	for i := range t.down {
		t.down[i].below = true
	}
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
				t.down[state].stay(warm[b])
			}
		}
		switch {
		case rested || !falls && !rises:
		case falls:
			t.up[state].change(extreme(warm, levels[i+1].from, 1))
			t.nFalls++
		default:
			t.down[state].change(extreme(warm, levels[i+1].from, -1))
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
			h.off = figure
			h.off.Name = OffFigure
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
		return func(on float64) float64 {
			if on < coldestLimit {
				return 0
			}
			return flat
		}
	}
	return func(on float64) float64 {
		z := (on - usualLimit) / limitSpread
		other := 0.02 * flat
		if on < coldestLimit {
			return 0
		}
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

// bandPrior is how likely a drive is fast again at a temperature, when it slowed itself
// at another.
func bandPrior(on float64) func(float64) float64 {
	return func(off float64) float64 {
		band := on - off
		if band < -1 || band > widestBand {
			return 0
		}
		return math.Exp(-max(band, 0)/usualBand) / (usualBand + 1)
	}
}

// trial is temperatures at which a change could have come, and at which it did: past a
// threshold, or below one.
type trial struct {
	below  bool
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
	var at, logs []float64
	best := math.Inf(-1)
	for threshold := coldestLimit - widestBand; threshold <= hottestLimit; threshold += limitStep {
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

// likelihood is the logarithm of that of a trial for one threshold.
func (t *trial) likelihood(threshold, soft, hazard float64) float64 {
	sum := 0.0
	past := func(celsius float64) float64 {
		if t.below {
			return (threshold - celsius) / soft
		}
		return (celsius - threshold) / soft
	}
	for bin, count := range t.counts {
		x := past(float64(bin) * grid)
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
		sum += max(math.Log(hazard*logistic(past(at))), -12)
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
