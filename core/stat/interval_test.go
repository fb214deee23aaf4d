package stat

import (
	"math"
	"math/rand/v2"
	"testing"
)

// autoregressive makes a series about 100 whose neighbours have that
// correlation.
func autoregressive(random *rand.Rand, length int, correlation float64) []float64 {
	series := make([]float64, length)
	deviation := 0.0
	for i := range series {
		deviation = correlation*deviation + math.Sqrt(1-correlation*correlation)*5*random.NormFloat64()
		series[i] = 100 + deviation
	}
	return series
}

// A 95% interval has to hold the truth in about 95 of 100 cases, also where
// neighbours resemble each other, and a pass that is long enough has to have one.
func TestMeanIntervalCovers(t *testing.T) {
	cases := []struct {
		length      int // in tenths of a second
		correlation float64
		says        float64 // the least share of series that get an interval
	}{
		{50, 0, 0.95}, {50, 0.5, 0.95}, {50, 0.8, 0}, {100, 0.8, 0}, {150, 0.9, 0},
		{300, 0, 0.95}, {300, 0.5, 0.95}, {300, 0.8, 0.95}, {600, 0.95, 0}, {1200, 0.95, 0.95},
	}
	for _, c := range cases {
		random := rand.New(rand.NewPCG(5, uint64(c.length)))
		held, said := 0, 0
		const runs = 4000
		for range runs {
			interval, ok := MeanInterval(autoregressive(random, c.length, c.correlation))
			if !ok {
				continue
			}
			said++
			if interval.Low <= 100 && interval.High >= 100 {
				held++
			}
		}
		share := float64(held) / float64(said)
		if !(share >= 0.93-0.01 && share <= 0.97+0.01) { // and what 4 000 runs cannot tell
			t.Errorf("%d observations, correlation %.2f: the interval holds the truth in %.1f %% of cases, want 95",
				c.length, c.correlation, share*100)
		}
		if said := float64(said) / runs; said < c.says {
			t.Errorf("%d observations, correlation %.2f: %.1f %% have an interval, want %.0f", c.length, c.correlation,
				said*100, c.says*100)
		}
	}
}

// The interval is a rate's: it does not go below nothing.
func TestMeanIntervalOfRates(t *testing.T) {
	series := make([]float64, 60)
	series[3], series[40] = 100, 90
	interval, ok := MeanInterval(series)
	if !ok || interval.Low != 0 || !(interval.High > interval.Value) {
		t.Errorf("a series of two bursts gives %+v, %v", interval, ok)
	}
	series[7] = -20
	if interval, _ := MeanInterval(series); !(interval.Low < 0) {
		t.Errorf("a series with a negative figure gives %+v", interval)
	}
}

func TestMeanIntervalNarrows(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	short, _ := MeanInterval(autoregressive(random, 200, 0))
	long, _ := MeanInterval(autoregressive(random, 20_000, 0))
	if long.Share() > short.Share()/5 {
		t.Errorf("100 times the observations narrow the interval from %.4f to %.4f only", short.Share(), long.Share())
	}
	if constant, ok := MeanInterval(make([]float64, 50)); !ok || constant.Low != 0 || constant.High != 0 ||
		!math.IsInf(constant.Share(), 1) {
		t.Errorf("zeros give %+v", constant)
	}
	if _, ok := MeanInterval(make([]float64, 49)); ok {
		t.Error("49 observations give an interval")
	}
}

func TestRepeatInterval(t *testing.T) {
	if _, ok := RepeatInterval([]float64{5}); ok {
		t.Error("one repeat gives an interval")
	}
	three, _ := RepeatInterval([]float64{99, 100, 101})
	// t(0.975, 2) = 4.303; the deviation is 1 and sqrt 3 is 1.732.
	if !(math.Abs(three.High-100-4.303/1.732) <= 0.01) || three.Value != 100 {
		t.Errorf("three repeats give %+v", three)
	}
	eight, _ := RepeatInterval([]float64{8, 7, 6, 5, 4, 3, 2, 1})
	// With eight, the extremes hold the median in 99.2 % of cases, and the next
	// ones in 93 % only.
	if eight.Low != 1 || eight.High != 8 || eight.Value != 4.5 {
		t.Errorf("eight repeats give %+v", eight)
	}
	many := make([]float64, 100)
	for i := range many {
		many[i] = float64(i)
	}
	// The standard interval for n = 100 is from the 40th to the 61st.
	if hundred, _ := RepeatInterval(many); hundred.Low != 39 || hundred.High != 60 {
		t.Errorf("a hundred repeats give %+v, want 39 to 60", hundred)
	}
}
