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
// neighbours resemble each other.
func TestMeanIntervalCovers(t *testing.T) {
	for _, correlation := range []float64{0, 0.5, 0.8} {
		random := rand.New(rand.NewPCG(5, 6))
		held, runs := 0, 1000
		for range runs {
			interval, ok := MeanInterval(autoregressive(random, 600, correlation))
			if !ok {
				t.Fatal("no interval")
			}
			if interval.Low <= 100 && interval.High >= 100 {
				held++
			}
		}
		if share := float64(held) / float64(runs); share < 0.91 {
			t.Errorf("correlation %.1f: the interval holds the truth in %.1f %% of cases, want 95", correlation,
				share*100)
		}
	}
}

func TestMeanIntervalNarrows(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	short, _ := MeanInterval(autoregressive(random, 100, 0))
	long, _ := MeanInterval(autoregressive(random, 10_000, 0))
	if long.Share() > short.Share()/5 {
		t.Errorf("100 times the observations narrow the interval from %.4f to %.4f only", short.Share(), long.Share())
	}
	if constant, ok := MeanInterval(make([]float64, 40)); !ok || constant.Low != 0 || constant.High != 0 ||
		!math.IsInf(constant.Share(), 1) {
		t.Errorf("zeros give %+v", constant)
	}
	if _, ok := MeanInterval(make([]float64, 19)); ok {
		t.Error("19 observations give an interval")
	}
}

func TestRepeatInterval(t *testing.T) {
	if _, ok := RepeatInterval([]float64{5}); ok {
		t.Error("one repeat gives an interval")
	}
	three, _ := RepeatInterval([]float64{99, 100, 101})
	// t(0.975, 2) = 4.303; the deviation is 1 and sqrt 3 is 1.732.
	if math.Abs(three.High-100-4.303/1.732) > 0.01 || three.Value != 100 {
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
