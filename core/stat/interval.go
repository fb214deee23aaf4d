package stat

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Interval is a figure with its 95% confidence interval.
type Interval struct {
	Value, Low, High float64
}

// Share is half the interval's width as a share of its value: 0.01 is "to
// within 1%". It is infinite where the value is zero.
func (i Interval) Share() float64 {
	if i.Value == 0 {
		return math.Inf(1)
	}
	return (i.High - i.Low) / 2 / math.Abs(i.Value)
}

const (
	// fewestBatches keeps Student's quantile from growing without need, and the
	// estimate of their spread from being a guess.
	fewestBatches = 10
	// fewestObservations is the shortest series that an interval is given for.
	fewestObservations = 2 * fewestBatches
	// mostCorrelation is how much neighbouring batches may still resemble each
	// other before they are made longer.
	mostCorrelation = 0.2
)

// MeanInterval gives the mean of a series with a 95% interval that holds when
// neighbours in it resemble each other. It uses batch means (Law, Simulation
// Modeling and Analysis, 5th ed., 9.5.3): the series is cut into batches, which
// are made longer until the lag-1 autocorrelation of their means is small, and
// Student's interval is taken over the means. Where even ten batches resemble
// each other the interval is widened by the factor that the remaining
// correlation r calls for, sqrt((1+r)/(1-r)). It is false for fewer than 20
// observations.
func MeanInterval(series []float64) (Interval, bool) {
	if len(series) < fewestObservations {
		return Interval{}, false
	}
	for size := 1; ; size *= 2 {
		means := batchMeans(series, size)
		correlation := lagOne(means)
		last := len(series)/(2*size) < fewestBatches
		if correlation > mostCorrelation && !last {
			continue
		}
		widening := 1.0
		if correlation > mostCorrelation {
			r := min(correlation, 0.9)
			widening = math.Sqrt((1 + r) / (1 - r))
		}
		return studentInterval(means, widening), true
	}
}

// batchMeans cuts a series into batches of that size; a remainder at its start,
// where it is least settled, is left out.
func batchMeans(series []float64, size int) []float64 {
	count := len(series) / size
	series = series[len(series)-count*size:]
	means := make([]float64, count)
	for i := range means {
		means[i] = stat.Mean(series[i*size:(i+1)*size], nil)
	}
	return means
}

// lagOne is how much neighbours of a series resemble each other, from -1 to 1.
func lagOne(series []float64) float64 {
	mean, variance := stat.MeanVariance(series, nil)
	if variance <= 1e-18*mean*mean {
		return 0
	}
	sum := 0.0
	for i := 1; i < len(series); i++ {
		sum += (series[i] - mean) * (series[i-1] - mean)
	}
	return sum / (variance * float64(len(series)-1))
}

// studentInterval is the mean of independent observations with Student's
// interval, widened by a factor.
func studentInterval(observations []float64, widening float64) Interval {
	mean, deviation := stat.MeanStdDev(observations, nil)
	count := float64(len(observations))
	quantile := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: count - 1}.Quantile(0.975)
	half := widening * quantile * deviation / math.Sqrt(count)
	return Interval{Value: mean, Low: mean - half, High: mean + half}
}

// RepeatInterval gives the median of repeats with an interval of at least 95%.
// From six repeats on it is that of order statistics, which asks nothing of
// their distribution (David and Nagaraja, Order Statistics, 3rd ed., 7.1);
// below that it is Student's about the median. It is false for a single one.
func RepeatInterval(repeats []float64) (Interval, bool) {
	count := len(repeats)
	if count < 2 {
		return Interval{}, false
	}
	median := Median(repeats)
	if count < 6 {
		student := studentInterval(repeats, 1)
		half := (student.High - student.Low) / 2
		return Interval{Value: median, Low: median - half, High: median + half}, true
	}
	sorted := slices.Sorted(slices.Values(repeats))
	binomial := distuv.Binomial{N: float64(count), P: 0.5}
	rank := 0 // the interval goes from sorted[rank] to its mirror
	for binomial.CDF(float64(rank)) <= 0.025 {
		rank++
	}
	rank = max(rank-1, 0)
	return Interval{Value: median, Low: sorted[rank], High: sorted[count-1-rank]}, true
}
