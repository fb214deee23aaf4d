package stat

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// near says whether two figures are the same but for rounding; nothing is near NaN.
func near(a, b float64) bool { return math.Abs(a-b) <= 1e-9*max(1, math.Abs(b)) }

// studentTable are the quantiles of Student's distribution that 97.5 of 100 are below, by
// degrees of freedom, from printed tables.
var studentTable = map[float64]float64{1: 12.706, 2: 4.303, 3: 3.182, 4: 2.776, 9: 2.262, 20: 2.086, 100: 1.984}

func TestQuantile(t *testing.T) {
	for freedom, want := range studentTable {
		if got := quantile(freedom); !(math.Abs(got-want) <= 0.001) {
			t.Errorf("%v degrees of freedom: %.4f, want %.3f", freedom, got, want)
		}
	}
}

// The interval of a mean once more, in another form: by the covariances of an
// autoregressive series, summed up.
func TestMeanIntervalByHand(t *testing.T) {
	random := rand.New(rand.NewPCG(8, 9))
	for _, correlation := range []float64{0, 0.3, 0.6} {
		const n = 240
		series := autoregressive(random, n, correlation)
		mean := 0.0
		for _, value := range series {
			mean += value / n
		}
		squares, products := 0.0, 0.0
		for i, value := range series {
			squares += (value - mean) * (value - mean)
			if i > 0 {
				products += (value - mean) * (series[i-1] - mean)
			}
		}
		// E r = rho - (1 + 3 rho)/n, solved for rho.
		rho := max((products/squares+1.0/n)/(1-3.0/n), 0)
		// The variance of the mean is sigma^2/n times 1 + 2 rho + 2 rho^2 + ..., and that of
		// a series of n is too small by as much as its mean varies.
		sum, power := 1.0, rho
		for range 500 {
			sum, power = sum+2*power, power*rho
		}
		sigma := squares / (n - 1) / (1 - sum/n)
		independent := n / sum
		half := quantile(independent-1) * math.Sqrt(sigma*sum/n)
		if independent < 15.3 {
			half *= 1 + 40*(15.3/independent-1)
		}
		got, ok := MeanInterval(series)
		if !ok || !near(got.Value, mean) || !near(got.High-mean, half) || !near(mean-got.Low, half) {
			t.Errorf("correlation %.1f: %+v, %v; want %.6f and %.6f to both sides", correlation, got, ok, mean, half)
		}
	}
}

// What an interval is worth where few observations are independent: it is wide, and then
// it is not given.
func TestFewIndependentObservations(t *testing.T) {
	slow := func(turns float64) []float64 {
		series := make([]float64, 120)
		for i := range series {
			series[i] = 100 + 10*math.Sin(2*math.Pi*turns*float64(i)/120)
		}
		return series
	}
	if _, ok := MeanInterval(slow(1)); ok {
		t.Error("one slow wave has an interval")
	}
	quick, ok := MeanInterval(slow(40))
	if !ok || !(quick.Share() < 0.03) {
		t.Errorf("a quick wave has %+v, %v", quick, ok)
	}
	rising := make([]float64, 500)
	for i := range rising {
		rising[i] = float64(i)
	}
	if _, ok := MeanInterval(rising); ok {
		t.Error("a straight rise has an interval")
	}
}

func TestIntervalsScaleAndSayTheirShare(t *testing.T) {
	i := Interval{Value: 200, Low: 190, High: 220}
	if got := i.Scaled(0.5); got != (Interval{Value: 100, Low: 95, High: 110}) {
		t.Errorf("half of it is %+v", got)
	}
	if got := i.Share(); !near(got, 0.075) {
		t.Errorf("its share is %v, want 0.075", got)
	}
	if got := (Interval{Value: -200, Low: -220, High: -190}).Share(); !near(got, 0.075) {
		t.Errorf("a negative one's share is %v, want 0.075", got)
	}
	if !math.IsInf(Interval{Low: -1, High: 1}.Share(), 1) {
		t.Error("about nothing the share is not infinite")
	}
}

// Up to five repeats the interval is Student's about the median, above it is that of
// ranks whose chance is at least 95 of 100, by counting.
func TestRepeatIntervalByHand(t *testing.T) {
	five := []float64{10, 14, 11, 13, 30}
	mean, squares := 15.6, 0.0
	for _, value := range five {
		squares += (value - mean) * (value - mean)
	}
	half := studentTable[4] * math.Sqrt(squares/4/5)
	if got, ok := RepeatInterval(five); !ok || got.Value != 13 || !(math.Abs(got.High-13-half) <= 0.01) ||
		!(math.Abs(13-half-got.Low) <= 0.01) {
		t.Errorf("five repeats give %+v, want 13 and %.3f to both sides", got, half)
	}
	for count := 6; count <= 60; count++ {
		series := make([]float64, count)
		for i := range series {
			series[i] = float64((i*7)%count) + 100 // each once, where 7 does not divide count
		}
		if count%7 == 0 {
			continue
		}
		got, ok := RepeatInterval(series)
		rank := int(got.Low) - 100
		outside := func(rank int) float64 { // that the median is outside of the ranks, from rank to its mirror
			sum := 0.0
			for k := range rank + 1 {
				sum += 2 * choose(count, k) / math.Exp2(float64(count))
			}
			return sum
		}
		// The interval from x[rank] misses the median if no more than rank are below it.
		if !ok || int(got.High) != 100+count-1-rank || !(outside(rank) <= 0.05 || rank == 0) ||
			!(outside(rank+1) > 0.05) {
			t.Errorf("%d repeats: from rank %d to %v, misses in %.4f of cases", count, rank, got.High-100,
				outside(rank))
		}
		if want := Median(series); got.Value != want || !slices.Contains(series, got.Low) {
			t.Errorf("%d repeats have the median %v, want %v", count, got.Value, want)
		}
	}
	if _, ok := RepeatInterval(nil); ok {
		t.Error("no repeat has an interval")
	}
	if two, ok := RepeatInterval([]float64{4, 6}); !ok || two.Value != 5 || !(math.Abs(two.High-5-12.706) <= 0.01) {
		t.Errorf("two repeats give %+v, %v", two, ok)
	}
}

func choose(n, k int) float64 {
	product := 1.0
	for i := range k {
		product *= float64(n-i) / float64(i+1)
	}
	return product
}

// The judgement of a steady state, at both sides of its limits.
func TestSteadyByHand(t *testing.T) {
	cases := []struct {
		rounds      []float64
		rangeShare  float64
		slopeShare  float64
		steady      bool
		mean, count float64
	}{
		{[]float64{100, 100, 100, 100, 100}, 0, 0, true, 100, 5},
		{[]float64{90, 100, 100, 100, 110}, 0.2, 0.16, false, 100, 5}, // slope: (2*90*-1 + 2*110)/10 = 4 a round
		{[]float64{100, 110, 100, 90, 100}, 0.2, 0.08, true, 100, 5},  // slope: (-110 + 90)/10 = -2
		{[]float64{100, 111, 100, 89, 100}, 0.22, 0.088, false, 100, 5},
		{[]float64{1, 95, 100, 100, 100, 105}, 0.1, 0.08, true, 100, 6},
		{[]float64{94, 100, 100, 100, 106}, 0.12, 0.096, true, 100, 5},
		{[]float64{93, 100, 100, 100, 107}, 0.14, 0.112, false, 100, 5},
		{[]float64{0, 0, 0, 0, 0}, 0, 0, false, 0, 5},
		{[]float64{-1, -1, -1, -1, -1}, 0, 0, false, -1, 5},
		{[]float64{0.5, 0.5, 0.5, 0.5, 0.5}, 0, 0, true, 0.5, 5},
	}
	for _, c := range cases {
		got, judged := Steady(c.rounds)
		if !judged || got.Steady != c.steady || !near(got.RangeShare, c.rangeShare) ||
			!near(got.SlopeShare, c.slopeShare) ||
			!near(got.Mean, c.mean) || got.Rounds != int(c.count) {
			t.Errorf("%v: %+v, %v", c.rounds, got, judged)
		}
	}
}

func TestRanksShareTies(t *testing.T) {
	for _, c := range []struct{ values, want []float64 }{
		{[]float64{5, 5, 5}, []float64{1, 1, 1}},
		{[]float64{3, 1, 2}, []float64{2, 0, 1}},
		{[]float64{2, 1, 2, 9, 1}, []float64{2.5, 0.5, 2.5, 4, 0.5}},
		{[]float64{7}, []float64{0}},
		{nil, nil},
	} {
		if got := ranks(c.values); !slices.Equal(got, c.want) && len(c.want) > 0 {
			t.Errorf("%v has the ranks %v, want %v", c.values, got, c.want)
		}
	}
	// With ties: by Spearman's definition, the correlation of the ranks.
	if got := RankCorrelation([]float64{1, 1, 2, 3}, []float64{1, 2, 2, 3}); !near(got, 0.833333333333) {
		t.Errorf("%v, want 5/6", got)
	}
	if got := RankCorrelation([]float64{1, 2}, []float64{4, 3}); !near(got, -1) {
		t.Errorf("two that fall have %v", got)
	}
}

// Cuts are where they are, to the sample, and the least cost decides: an exhaustive
// search over all cuttings finds the same.
func TestSegmentsAgainstEveryCutting(t *testing.T) {
	random := rand.New(rand.NewPCG(11, 12))
	for run := range 300 {
		n, least := 6+random.IntN(8), 1+random.IntN(3)
		series := make([]float64, n)
		level := 100.0
		for i := range series {
			if random.Float64() < 0.3 {
				level = 100 * float64(1+random.IntN(5))
			}
			series[i] = level + 3*random.NormFloat64()
		}
		penalty := 6 * math.Log(float64(n)) * noiseVariance(series)
		want := cheapest(series, least, penalty)
		got := Segments(series, least)
		if n < 2*least {
			continue
		}
		if cost := costOf(series, got, penalty); !(math.Abs(cost-want) <= 1e-6*(1+want)) {
			t.Fatalf("run %d: %v of %v costs %.3f, and %.3f is possible", run, got, series, cost, want)
		}
		at := 0
		for _, s := range got {
			if s.From != at || s.To-s.From < least || !near(s.Mean, average(series[s.From:s.To])) {
				t.Fatalf("run %d: segment %+v of %v", run, s, got)
			}
			at = s.To
		}
		if at != n {
			t.Fatalf("run %d: the segments end at %d of %d", run, at, n)
		}
	}
}

func average(values []float64) float64 {
	sum := 0.0
	for _, value := range values {
		sum += value
	}
	return sum / float64(len(values))
}

func spreadOf(values []float64) float64 {
	mean, sum := average(values), 0.0
	for _, value := range values {
		sum += (value - mean) * (value - mean)
	}
	return sum
}

func costOf(series []float64, segments []Segment, penalty float64) float64 {
	cost := -penalty
	for _, s := range segments {
		cost += spreadOf(series[s.From:s.To]) + penalty
	}
	return cost
}

// cheapest tries every set of cuts.
func cheapest(series []float64, least int, penalty float64) float64 {
	n, best := len(series), math.Inf(1)
	for cuts := range 1 << (n - 1) {
		cost, from, valid := -penalty, 0, true
		for i := 1; i <= n && valid; i++ {
			if i == n || cuts>>(i-1)&1 == 1 {
				valid = i-from >= least
				cost += spreadOf(series[from:i]) + penalty
				from = i
			}
		}
		if valid {
			best = min(best, cost)
		}
	}
	return best
}

// The noise is that of neighbours: a step does not count, and there always is some.
func TestNoise(t *testing.T) {
	random := rand.New(rand.NewPCG(13, 14))
	series := make([]float64, 20_000)
	for i := range series {
		series[i] = 1000 + 50*random.NormFloat64()
		if i > 10_000 {
			series[i] += 5000
		}
	}
	if got := math.Sqrt(noiseVariance(series)); !(math.Abs(got-50) <= 2) && !(math.Abs(got-35) <= 0) {
		t.Errorf("noise of 50 is found to be %.1f", got)
	}
	if got := math.Sqrt(noiseVariance([]float64{100, 100, 100, 100})); !near(got, 1) {
		t.Errorf("a constant series of 100 has a noise of %v, want a hundredth", got)
	}
	if got := math.Sqrt(noiseVariance([]float64{300, 100})); !near(got, 2) {
		t.Errorf("two figures have a noise of %v, want a hundredth of their median", got)
	}
	if got := noiseVariance([]float64{0, 0, 0}); !(got > 0) {
		t.Errorf("zeros have a noise of %v", got)
	}
	three := []float64{10, 20, 50} // differences of 10 and 30
	if got := math.Sqrt(noiseVariance(three)); !near(got, 30/(math.Sqrt2*1.1503)) {
		t.Errorf("three figures have a noise of %v", got)
	}
}
