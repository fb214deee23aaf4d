package explain

import (
	"math"
	"slices"

	"opengauge/core/stat"
)

const (
	// leastChange is the least change of the logarithm of throughput that is one: 12 %.
	leastChange = 0.13
	// shortestLevel is how many bins a level has at the least.
	shortestLevel = 2
	// surely is how many standard errors a change has to be.
	surely = 5.0
)

// level is a stretch of bins over which the logarithm of throughput held.
type level struct {
	from, to int // of the moving bins, without to
	y        float64
	noise    float64
}

func (l *level) bins() int { return l.to - l.from }

// noise is how a series varies about its levels.
type noise struct {
	deviation float64 // of a bin
	alike     float64 // correlation of neighbours
}

// inflation is by how much more the variance of a mean is than of independent bins
// (of a first-order autoregression; Box, Jenkins and Reinsel, Time Series Analysis,
// 2.1.5).
func (n noise) inflation() float64 { return (1 + n.alike) / (1 - n.alike) }

// leastDeviation is the least that a recording is taken to vary by.
const leastDeviation = 0.004

// noiseAbout estimates the noise of a series about its levels: the deviation from
// differences of neighbours, which a change hardly touches, and how alike neighbours
// are from what is left when the levels are taken off.
func noiseAbout(y []float64, levels []level) noise {
	if len(y) < 4 {
		return noise{deviation: leastDeviation}
	}
	differences := make([]float64, len(y)-1)
	for i := range differences {
		differences[i] = math.Abs(y[i+1] - y[i])
	}
	slices.Sort(differences)
	// Between the median and the upper quartile, as slower stretches are the noisier, if
	// the quartile is not of changes.
	step, upper := differences[len(differences)/2]/0.6745, differences[len(differences)*3/4]/1.1503
	if upper < 2.5*step {
		step = (step + upper) / 2
	}
	product, square := 0.0, 0.0
	for _, l := range levels {
		for i := l.from; i+1 < l.to; i++ {
			a, b := clip(y[i]-l.y, 3*step+leastDeviation), clip(y[i+1]-l.y, 3*step+leastDeviation)
			product, square = product+a*b, square+(a*a+b*b)/2
		}
	}
	n := noise{}
	if square > 0 {
		n.alike = min(max(product/square, 0), 0.95)
	}
	n.deviation = max(step/math.Sqrt(2*(1-n.alike)), leastDeviation)
	return n
}

func clip(v, most float64) float64 { return min(max(v, -most), most) }

// cut finds the levels of a series. It is tried from the noise that the series would
// have if it never changed, which is too much, and from that of neighbours, which may
// be too little; what describes the series in the fewest words is kept.
func cut(y []float64) ([]level, noise) {
	whole := []level{{from: 0, to: len(y), y: stat.Median(y)}}
	levels, n := refine(y, noiseAbout(y, whole))
	rough := noiseAbout(y, nil)
	if others, m := refine(y, rough); words(y, others, m) < words(y, levels, n) {
		levels, n = others, m
	}
	for i := range levels {
		levels[i].noise = spreadOf(y[levels[i].from:levels[i].to], levels[i].y, n)
	}
	return merge(y, levels, n), n
}

// refine cuts with a noise, and again with what is left.
func refine(y []float64, n noise) ([]level, noise) {
	var levels []level
	for range 4 {
		variance := n.deviation * n.deviation * n.inflation()
		penalty := (3*math.Log(float64(len(y))) + 6) * variance
		levels = nil
		for _, s := range stat.Partition(y, shortestLevel, penalty) {
			levels = append(levels, level{from: s.From, to: s.To, y: stat.Median(y[s.From:s.To])})
		}
		again := noiseAbout(y, levels)
		if math.Abs(again.deviation-n.deviation) < 1e-4 && math.Abs(again.alike-n.alike) < 0.02 {
			break
		}
		n = again
	}
	return levels, n
}

// words is how long a description by levels and noise is: what each bin adds that the
// one before it does not say, and a price for each level.
func words(y []float64, levels []level, n noise) float64 {
	sum := 0.0
	for _, l := range levels {
		for i := l.from; i < l.to; i++ {
			left := y[i] - l.y
			if i > l.from {
				left -= n.alike * (y[i-1] - l.y)
			}
			sum += math.Abs(left)
		}
	}
	count := float64(len(y))
	return count*math.Log(sum/count+leastDeviation/2) + float64(len(levels))*(1.5*math.Log(count)+3)
}

// spreadOf is the deviation of a level's bins, drawn towards that of all where it is
// short.
func spreadOf(y []float64, about float64, n noise) float64 {
	deviations := make([]float64, len(y))
	for i, v := range y {
		deviations[i] = math.Abs(v - about)
	}
	own := stat.Median(deviations) / 0.6745
	const worth = 6.0
	count := float64(len(y))
	return math.Sqrt((own*own*count + n.deviation*n.deviation*worth) / (count + worth))
}

// merge joins neighbouring levels between which nothing changed that counts, the
// least change first.
func merge(y []float64, levels []level, n noise) []level {
	levels = slices.Clone(levels)
	for len(levels) > 1 {
		least, at := math.Inf(1), -1
		for i := 1; i < len(levels); i++ {
			a, b := &levels[i-1], &levels[i]
			change := math.Abs(a.y - b.y)
			if weight := min(change/leastChange, standardErrors(a, b, n)/surely); weight < 1 && weight < least {
				least, at = weight, i
			}
		}
		if at < 0 {
			break
		}
		a, b := levels[at-1], levels[at]
		joined := level{from: a.from, to: b.to, y: stat.Median(y[a.from:b.to])}
		joined.noise = spreadOf(y[a.from:b.to], joined.y, n)
		levels = slices.Replace(levels, at-1, at+1, joined)
	}
	return levels
}

// withoutDips takes short excursions down out of levels that are the same on both
// sides, and those with which a recording begins or ends.
func withoutDips(y []float64, levels []level, n noise, longest int) []level {
	left := slices.Clone(levels)
	for i := 1; i+1 < len(left); {
		a, dip, b := left[i-1], left[i], left[i+1]
		if dip.bins() > longest || dip.y > min(a.y, b.y) || math.Abs(a.y-b.y) > leastChange {
			i++
			continue
		}
		weight := float64(a.bins()) / float64(a.bins()+b.bins())
		joined := level{from: a.from, to: b.to, y: a.y*weight + b.y*(1-weight), noise: max(a.noise, b.noise)}
		left = slices.Replace(left, i-1, i+2, joined)
		i = max(i-1, 1)
	}
	if last := len(left) - 1; last > 0 && left[last].bins() <= longest && left[last].y < left[last-1].y {
		left[last-1].to = left[last].to
		left = left[:last]
	}
	if len(left) > 1 && left[0].bins() <= longest && left[0].y < left[1].y {
		left[1].from = left[0].from
		left = left[1:]
	}
	return merge(y, left, n)
}

// smooth takes single bins that stand out from their neighbours out of a series.
func smooth(y []float64) []float64 {
	const half = 1
	made := slices.Clone(y)
	window := make([]float64, 0, 2*half+1)
	for i := range y {
		window = append(window[:0], y[max(i-half, 0):min(i+half+1, len(y))]...)
		slices.Sort(window)
		made[i] = window[len(window)/2]
	}
	return made
}

// standardErrors is how far apart two levels are, in those of their difference.
func standardErrors(a, b *level, n noise) float64 {
	error := math.Sqrt(n.inflation() * (a.noise*a.noise/float64(a.bins()) + b.noise*b.noise/float64(b.bins())))
	return math.Abs(a.y-b.y) / error
}
