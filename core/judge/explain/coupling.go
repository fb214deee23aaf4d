package explain

import (
	"math"

	gonum "gonum.org/v1/gonum/stat"
)

const (
	// stillRange is less, in kelvins, than a drive's temperature moves in stillSeconds when
	// its load changes by stillChange, as a logarithm.
	stillRange, stillSeconds, stillChange = 2.1, 150.0, 0.35
)

// still says whether a temperature hardly moves though the load changes by much, for
// long.
func (s *sensor) still(e *evidence) bool {
	low, high := s.span()
	if !(high-low < max(stillRange, 1.1*s.grain)) || e.recording.seconds < 2*stillSeconds {
		return false
	}
	least, most := math.Inf(1), math.Inf(-1)
	for _, l := range e.levels {
		if float64(l.bins())*e.recording.width >= stillSeconds/2 {
			least, most = min(least, l.y), max(most, l.y)
		}
	}
	return most-least >= stillChange
}

// follows says how a temperature answers to the load: the odds, in standard errors,
// that it rises the faster the more is moved, and whether it would be seen.
func (s *sensor) follows(e *evidence) (t float64, seen bool) {
	window := max(int(math.Ceil(max(e.recording.seconds/50, 6)/e.recording.width)), 1)
	top := 0.0
	for _, i := range e.at {
		top = max(top, e.recording.bins[i].bytes)
	}
	var rise, pace, warm []float64
	for from := 0; from+window < len(e.recording.bins); from += window {
		a, b := s.values[from], s.values[from+window]
		moved := 0.0
		for i := from; i < from+window; i++ {
			moved += e.recording.bins[i].bytes / top / float64(window)
		}
		if !math.IsNaN(a) && !math.IsNaN(b) {
			rise, pace, warm = append(rise, b-a), append(pace, moved), append(warm, a)
		}
	}
	if len(rise) < 8 {
		return 0, false
	}
	slope, error, varied := partial(rise, pace, warm)
	if error <= 0 || varied < 0.12 {
		return 0, false
	}
	low, high := s.span()
	// What it would be if its whole range were the load's doing, over about a fifth of
	// the pass.
	expected := (high - low) * 5 * float64(window) / float64(len(e.recording.bins))
	return slope / error, s.place == OwnSensor && high-low >= 4 && expected > 4*error
}

// partial is the slope of y on x beside z, its standard error, and the deviation of x.
func partial(y, x, z []float64) (slope, error, varied float64) {
	rx, ry := residuals(x, z), residuals(y, z)
	var sxx, sxy, syy float64
	for i := range rx {
		sxx, sxy, syy = sxx+rx[i]*rx[i], sxy+rx[i]*ry[i], syy+ry[i]*ry[i]
	}
	n := float64(len(y))
	if sxx <= 1e-12 || n < 5 {
		return 0, 0, 0
	}
	slope = sxy / sxx
	left := max(syy-slope*sxy, 1e-9*n)
	return slope, math.Sqrt(left / (n - 3) / sxx), math.Sqrt(sxx / n)
}

// residuals takes a line in z off y.
func residuals(y, z []float64) []float64 {
	start, slope := gonum.LinearRegression(z, y, nil, false)
	if math.IsNaN(slope) || math.IsInf(slope, 0) { // z does not vary
		start, slope = gonum.Mean(y, nil), 0
	}
	made := make([]float64, len(y))
	for i := range y {
		made[i] = y[i] - start - slope*z[i]
	}
	return made
}

// coupled is what thermometers say of the load: that they follow it, that they would
// and do not, or that the drive's own does not move at all.
type coupled struct{ follows, unlike, still bool }

// coupledBy asks the drive's own thermometers and those on its case.
func (e *evidence) coupledBy() coupled {
	const surely = 3.5 // standard errors
	var c coupled
	for _, s := range e.sensors {
		if s.place != OwnSensor && s.place != ProbeSensor {
			continue
		}
		t, visible := s.follows(e)
		c.follows, c.unlike = c.follows || t > surely, c.unlike || visible
		c.still = c.still || s.place == OwnSensor && s.still(e)
	}
	return c
}

// coupling adds what it says that temperature follows the load: so it does where the
// drive that is measured is the one that is slowed.
func (e *evidence) coupling(f *fit, local bool) {
	switch c := e.coupled; {
	case c.still && local:
		f.add(-1.5, "its temperature does not move, though the load does")
	case c.still:
		f.add(1, "a temperature that does not move with the load is not of what changed")
	case c.follows && local:
		f.add(0.5, "it warms with the load")
	case c.follows:
		f.add(-3, "it warms with the load, so the load is what changed")
	case c.unlike && local:
		f.add(-1.5, "its temperature does not follow the load")
	case c.unlike:
		f.add(0.7, "its temperature does not follow the load")
	}
}
