package stat

import (
	"math"
	"math/rand/v2"
	"testing"
)

// steps makes a series of the given levels, each held for length samples, with
// normal noise of that share.
func steps(seed uint64, length int, noise float64, levels ...float64) []float64 {
	random := rand.New(rand.NewPCG(seed, 1))
	var series []float64
	for _, level := range levels {
		for range length {
			series = append(series, level*(1+noise*random.NormFloat64()))
		}
	}
	return series
}

func TestSegmentsFindTheSteps(t *testing.T) {
	cases := []struct {
		name   string
		noise  float64
		levels []float64
	}{
		{"no change", 0.05, []float64{1000, 1000, 1000}},
		{"one drop", 0.05, []float64{1000, 400}},
		{"saw-tooth without noise", 0, []float64{1000, 450, 1000, 450}},
		{"saw-tooth with noise", 0.08, []float64{1000, 450, 1000, 450}},
	}
	const length = 60
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			for seed := uint64(1); seed <= 20; seed++ {
				segments := Segments(steps(seed, length, c.noise, c.levels...), 5)
				want := 1
				for i := 1; i < len(c.levels); i++ {
					if c.levels[i] != c.levels[i-1] {
						want++
					}
				}
				if len(segments) != want {
					t.Fatalf("seed %d: %d segments, want %d: %v", seed, len(segments), want, segments)
				}
				for i, segment := range segments {
					if want > 1 && (!(math.Abs(float64(segment.From-i*length)) <= 1) ||
						!(math.Abs(segment.Mean/c.levels[i]-1) <= 0.05)) {
						t.Errorf("seed %d: segment %d is %+v, want from %d at %.0f", seed, i, segment, i*length,
							c.levels[i])
					}
				}
			}
		})
	}
}

func TestSegmentsAreNeverShorterThanAsked(t *testing.T) {
	series := steps(3, 2, 0.1, 10, 500, 10, 900, 20, 700)
	for _, segment := range Segments(series, 4) {
		if segment.To-segment.From < 4 {
			t.Errorf("segment %+v is shorter than 4", segment)
		}
	}
	if got := Segments(nil, 3); got != nil {
		t.Errorf("an empty series has segments: %v", got)
	}
	if got := Segments([]float64{7, 7}, 5); len(got) != 1 || got[0] != (Segment{From: 0, To: 2, Mean: 7}) {
		t.Errorf("a series shorter than a segment gives %v, want it whole", got)
	}
}

func TestMedian(t *testing.T) {
	for _, c := range []struct {
		series []float64
		want   float64
	}{{nil, 0}, {[]float64{3}, 3}, {[]float64{9, 1, 5}, 5}, {[]float64{4, 1, 3, 2}, 2.5}} {
		if got := Median(c.series); got != c.want {
			t.Errorf("median of %v is %v, want %v", c.series, got, c.want)
		}
	}
}
