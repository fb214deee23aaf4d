package stat

import (
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/integrate/quad"
)

// The evidence is an integral over effects that can be computed otherwise: the likelihood
// of Student's statistic under each effect, averaged over a half normal one, where the
// deviation is known as good as exactly.
func TestEvidenceIsTheIntegral(t *testing.T) {
	for _, c := range []struct{ estimate, variance float64 }{{0, 1}, {0.5, 1}, {1.5, 0.5}, {3, 0.25}, {-1, 0.5}} {
		density := func(x, mean, variance float64) float64 {
			return math.Exp(-(x-mean)*(x-mean)/(2*variance)) / math.Sqrt(2*math.Pi*variance)
		}
		averaged := quad.Fixed(func(effect float64) float64 {
			return density(c.estimate, effect, c.variance) * 2 * density(effect, 0, expected*expected)
		}, 0, 40, 4000, nil, 0)
		want := averaged / density(c.estimate, 0, c.variance)
		got := Evidence(c.estimate, 1, c.variance, 2_000_000)
		if !(math.Abs(got-want) <= 0.001*want) {
			t.Errorf("estimate %g, variance %g: evidence %g, by integration %g", c.estimate, c.variance, got, want)
		}
	}
}

// With few observations too, where the deviation is averaged over as well: over all sizes
// of it alike, by its logarithm.
func TestEvidenceOfFew(t *testing.T) {
	for _, c := range []struct {
		estimate, sigma, variance float64
		freedom                   int
	}{{1, 0.5, 1, 1}, {2, 1, 0.5, 3}, {-1, 1, 0.5, 3}, {0.3, 0.1, 0.25, 8}} {
		likelihood := func(effect, sigma float64) float64 {
			off := c.estimate - effect
			residual := float64(c.freedom) * c.sigma * c.sigma
			return math.Pow(sigma, -float64(c.freedom+1)) *
				math.Exp(-(residual+off*off/c.variance)/(2*sigma*sigma))
		}
		overSigma := func(of func(sigma float64) float64) float64 {
			return quad.Fixed(func(log float64) float64 { return of(math.Exp(log)) }, -6, 8, 500, nil, 0)
		}
		averaged := overSigma(func(sigma float64) float64 {
			return quad.Fixed(func(share float64) float64 { // of the expected width
				return likelihood(share*expected*sigma, sigma) * 2 * math.Exp(-share*share/2) / math.Sqrt(2*math.Pi)
			}, 0, 8, 300, nil, 0)
		})
		want := averaged / overSigma(func(sigma float64) float64 { return likelihood(0, sigma) })
		if got := Evidence(c.estimate, c.sigma, c.variance, c.freedom); !(math.Abs(got-want) <= 0.01*want) {
			t.Errorf("%+v: evidence %g, by integration %g", c, got, want)
		}
	}
}

// However often one looks, no effect is told from none more often than is allowed, and no
// interval misses the truth more often.
func TestLookingOftenIsAllowed(t *testing.T) {
	const experiments, looks, doubt = 1500, 15, 0.05
	chance := rand.New(rand.NewPCG(7, 1))
	wrong, missed := 0, 0
	for range experiments {
		var rows [][]float64
		var observed []float64
		said, outside := false, false
		for range looks {
			day := chance.NormFloat64() // both of a pair share it
			block := make([]float64, looks)
			block[len(rows)/2] = 1
			for level := range 2 {
				rows = append(rows, append([]float64{float64(level)}, block...))
				observed = append(observed, day+chance.NormFloat64())
			}
			fit, _ := FitLinear(rows, observed)
			weights := make([]float64, looks+1)
			weights[0] = 1
			estimate, variance, told := fit.Contrast(weights)
			if !told {
				t.Fatal("a difference within pairs is told")
			}
			said = said || Evidence(estimate, fit.Sigma, variance, fit.Freedom) >= 1/doubt
			outside = outside || !(math.Abs(estimate) <= HalfWidth(fit.Sigma, variance, fit.Freedom, doubt))
		}
		if said {
			wrong++
		}
		if outside {
			missed++
		}
	}
	const slack = 0.017 // three deviations of a share of so many
	for name, count := range map[string]int{"told": wrong, "missed": missed} {
		if share := float64(count) / experiments; !(share <= doubt+slack) || count == 0 {
			t.Errorf("%s in %.3f of all experiments without an effect, allowed %.3f", name, share, doubt)
		}
	}
}

func TestEvidenceOfNothing(t *testing.T) {
	if got := Evidence(1, 1, 1, 0); got != 0 {
		t.Errorf("evidence %g without anything left over", got)
	}
	if got := HalfWidth(1, 0.5, 1, 0.001); !math.IsInf(got, 1) {
		t.Errorf("half a width of %g from two observations", got)
	}
	if small, large := Evidence(-2, 1, 0.1, 10), Evidence(2, 1, 0.1, 10); !(small < 0.2) || !(large > 100) {
		t.Errorf("evidence of %g below zero and %g above", small, large)
	}
}
