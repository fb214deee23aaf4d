package explain

import (
	"math"
	"math/rand/v2"
	"opengauge/lab/night"
	"testing"
)

// drawnLevels are random levels with noise of neighbours that are alike, and where they
// change.
func drawnLevels(r *rand.Rand) (y []float64, truth []level) {
	n, alike, deviation := 200+r.IntN(800), []float64{0, 0, 0.5}[r.IntN(3)], 0.004+0.02*r.Float64()
	count := 1 + r.IntN(6)
	height, drift := 20.0, 0.0
	for k := range count {
		l := level{from: len(y), y: height}
		for range max(n/count, 8) {
			drift = alike*drift + math.Sqrt(1-alike*alike)*r.NormFloat64()
			y = append(y, height+deviation*drift)
		}
		l.to = len(y)
		truth = append(truth, l)
		step := 0.25 + 0.8*r.Float64()
		if k%2 == 0 {
			step = -step
		}
		height += step
	}
	return y, truth
}

// The levels that are found are those that were made, and describe the series at least
// as well as a cut that starts from the truth.
func TestLevelsAgainstTheTruth(t *testing.T) {
	worlds := night.Tries(t, 1000)
	r := rand.New(rand.NewPCG(15, 15))
	better, wrong := 0, 0
	for range worlds {
		y, truth := drawnLevels(r)
		found, n := cut(y)
		if words(y, truth, n) < words(y, found, n)-2 {
			better++
		}
		if len(found) != len(truth) {
			wrong++
			continue
		}
		for i := range truth {
			if d := found[i].from - truth[i].from; d < -1 || d > 1 || !(math.Abs(found[i].y-truth[i].y) <= 0.02) {
				wrong++
				break
			}
		}
	}
	t.Logf("of %d worlds, the truth is better in %d, and the levels are others in %d", worlds, better, wrong)
	if better > worlds*2/100 || wrong > worlds*5/100 {
		t.Errorf("of %d worlds, the truth is better in %d, and the levels are others in %d", worlds, better, wrong)
	}
}

// A bend that is found lies at least as close as one that starts from the truth, by less
// than 2 in the logarithm of the likelihood.
func TestBendsAgainstTheTruth(t *testing.T) {
	const worlds = 200
	r := rand.New(rand.NewPCG(15, 16))
	better := 0
	for range worlds {
		n, deviation := 300+r.IntN(600), 0.03+0.03*r.Float64()
		at, takes := int((0.1+0.5*r.Float64())*float64(n)), (0.05+0.4*r.Float64())*float64(n)
		way, depth := way(relaxing), 0.2+0.6*r.Float64()
		if r.IntN(2) == 0 {
			way = ramping
		}
		y, truth := make([]float64, n), make([]float64, n)
		for i := range y {
			if i >= at {
				truth[i] = way(float64(i-at), takes)
			}
			y[i] = 20 - depth*truth[i] + deviation*r.NormFloat64()
		}
		e := &evidence{plain: y}
		found := e.overGoing(way, latestBend)
		_, _, sum := twoLevels(y, truth)
		if (found.sum-sum)/(2*deviation*deviation) > 2 {
			better++
		}
	}
	t.Logf("the truth is better in %d of %d", better, worlds)
	if better > worlds*2/100 {
		t.Errorf("the truth is better in %d of %d", better, worlds)
	}
}

// Noise whose neighbours are alike wanders, and has no levels.
func TestNoiseHasNoLevels(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 17))
	for _, alike := range []float64{0, 0.6, 0.9, 0.95} {
		for range 20 {
			y, drift := make([]float64, 800), 0.0
			for i := range y {
				drift = alike*drift + math.Sqrt(1-alike*alike)*r.NormFloat64()
				y[i] = 20 + 0.03*drift
			}
			if found, n := cut(y); len(found) != 1 || !(math.Abs(n.alike-alike) <= 0.12) {
				t.Errorf("neighbours alike by %.2f: %d levels, %+v", alike, len(found), n)
			}
		}
	}
}

// A threshold is found where it is, and its range holds it.
func TestThresholds(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 18))
	held, tried := 0, 0
	for range 100 {
		on := 60 + 25*r.Float64()
		var up trial
		for range 2 + r.IntN(4) {
			for at := on - 10*r.Float64() - 1; ; at += 0.1 {
				if r.Float64() < 0.15*logistic((at-on)/0.5) {
					up.change(at)
					break
				}
				up.stay(at)
			}
		}
		_, f := up.marginal(0.15, limitPrior(OwnSensor))
		tried++
		if f.Low-0.5 <= on && on <= f.High+0.5 {
			held++
		}
		if !(math.Abs(f.Value-on) <= 4) {
			t.Errorf("%.1f is found at %+v", on, f)
		}
	}
	if held < tried*90/100 {
		t.Errorf("%d of %d ranges hold it", held, tried)
	}
}

// What is constant has a likelihood that falls with how seldom it is, and that of nothing
// is greatest where nothing happened.
func TestEvenRates(t *testing.T) {
	if a, b := constant(0, 100, 60), constant(0, 1000, 60); !(b < a && a < 0) {
		t.Errorf("nothing in 100 bins has %v, in 1000 %v", a, b)
	}
	if a, b := constant(1, 100, 60), constant(2, 100, 60); !(b < a) {
		t.Errorf("one has %v, two %v", a, b)
	}
	// The sum over all counts in few bins is one.
	sum := 0.0
	for n := 0; n <= 3; n++ {
		choose := []float64{1, 3, 3, 1}[n]
		sum += choose * math.Exp(constant(float64(n), 3, 60))
	}
	if !(math.Abs(sum-1) <= 1e-9) {
		t.Errorf("the likelihoods add up to %v", sum)
	}
}
