package compare

import (
	"math"
	"sync"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// spread is what is known of the mean of a figure's logarithm.
type spread struct {
	mean float64
	// variance is that of the mean, and freedom its degrees of freedom.
	variance, freedom float64
	unknown           bool
}

const (
	// leastSpread is the relative standard error below which no figure is known:
	// clocks, and the edges of passes, are no better.
	leastSpread = 1e-4
	// batchFreedom belongs to the interval within a pass, which stands on ten
	// batches of samples or more.
	batchFreedom = 9
)

func spreadOf(logs []float64) spread {
	mean, variance := stat.MeanVariance(logs, nil)
	count := float64(len(logs))
	return spread{mean: mean, variance: max(variance/count, leastSpread*leastSpread), freedom: count - 1}
}

// spreadOfInterval is that of a mean with a 95% interval of so much to both sides,
// as a share of it.
func spreadOfInterval(mean, half float64) spread {
	deviation := max(half/studentQuantile(batchFreedom), leastSpread)
	return spread{mean: mean, variance: deviation * deviation, freedom: batchFreedom}
}

// quantiles are those that were computed before: the same few come again and again.
var quantiles sync.Map

// studentQuantile is that of 97.5 %; any goroutine may ask.
func studentQuantile(freedom float64) float64 {
	if known, ok := quantiles.Load(freedom); ok {
		return known.(float64)
	}
	made := quantileOf(freedom)
	if freedom == math.Trunc(freedom) { // of which there are few
		quantiles.Store(freedom, made)
	}
	return made
}

func quantileOf(freedom float64) float64 {
	return distuv.StudentsT{Mu: 0, Sigma: 1, Nu: max(freedom, 1)}.Quantile(0.975)
}

// Verdict says what a contrast amounts to.
type Verdict string

// The verdicts. NotKnown is of figures that nobody knows the spread of.
const (
	Better       Verdict = "better"
	Worse        Verdict = "worse"
	NoDifference Verdict = "no measurable difference"
	NotKnown     Verdict = "not known"
	// ByAmount is of loads without an average: see Amounts.
	ByAmount Verdict = "by amount"
)

// Contrast is one figure against that of the baseline.
type Contrast struct {
	// Ratio is the figure over the baseline's, and Low and High its 95% interval;
	// both are 0 where nobody knows, and all are where amounts are compared.
	Ratio float64 `json:"ratio"`
	Low   float64 `json:"ratio_low"`
	High  float64 `json:"ratio_high"`
	// Detectable is the smallest difference that would have been seen, as a share.
	Detectable float64 `json:"detectable_share"`
	Verdict    Verdict `json:"verdict"`
	// Basis is the lesser of what the two figures stand on.
	Basis Basis `json:"basis"`
}

// contrast compares two figures by the ratio of their geometric means, with
// Welch's interval on the logarithms (Welch, Biometrika 34, 1947): rates differ by
// shares, and the two sides need not vary alike.
func contrast(metric Metric, baseline, other Figure) Contrast {
	a, b := baseline.spread, other.spread
	made := Contrast{Ratio: ratioOf(baseline, other), Verdict: NotKnown, Basis: lesser(baseline.Basis, other.Basis)}
	if a.unknown || b.unknown {
		return made
	}
	variance := a.variance + b.variance
	freedom := variance * variance / (a.variance*a.variance/a.freedom + b.variance*b.variance/b.freedom)
	return made.within(metric, b.mean-a.mean, studentQuantile(freedom)*math.Sqrt(variance))
}

// ratioOf is that of two figures, by their geometric means where their spread is known.
func ratioOf(baseline, other Figure) float64 {
	if baseline.spread.unknown || other.spread.unknown {
		return other.Value / baseline.Value
	}
	return math.Exp(other.spread.mean - baseline.spread.mean)
}

// within puts the interval of a difference of logarithms into a contrast.
func (c Contrast) within(metric Metric, difference, half float64) Contrast {
	c.Ratio = math.Exp(difference)
	c.Low, c.High, c.Detectable = math.Exp(difference-half), math.Exp(difference+half), math.Expm1(half)
	switch {
	case c.Low <= 1 && c.High >= 1:
		c.Verdict = NoDifference
	case (c.Ratio > 1) == metric.HigherIsBetter():
		c.Verdict = Better
	default:
		c.Verdict = Worse
	}
	return c
}

func lesser(a, b Basis) Basis {
	for _, basis := range []Basis{NoBasis, OnePass} {
		if a == basis || b == basis {
			return basis
		}
	}
	return Repeats
}
