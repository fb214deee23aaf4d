package compare

import (
	"math"
	"slices"

	"opengauge/core/judge/move"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Metric is a figure of a load that sessions are compared by.
type Metric string

// The metrics. Throughput is better when it is higher, latency and time when they are
// lower.
const (
	Throughput Metric = "throughput"
	Latency    Metric = "p99 latency"
	Time       Metric = "time"
)

// HigherIsBetter says which way is better.
func (m Metric) HigherIsBetter() bool { return m == Throughput }

// Text writes a figure with its unit.
func (m Metric) Text(figure float64, n unit.Notation) string {
	switch m {
	case Latency:
		return unit.Latency(figure)
	case Time:
		return move.Duration(figure)
	}
	return n.Rate(unit.BytesPerSecond(figure))
}

// of gives the metric of a pass: bytes a second, or seconds.
func (m Metric) of(pass *session.Pass) float64 {
	switch m {
	case Latency:
		return pass.Latency.P99
	case Time:
		return pass.ElapsedSeconds
	}
	return float64(pass.BytesPerSecond)
}

// MetricOf is what a load is judged by. Where operations arrive on a schedule it is
// the schedule that says how many bytes there are, and where an amount is moved, what
// people wait for is its end.
func MetricOf(key session.Key) Metric {
	switch {
	case key.Load.Scheduled():
		return Latency
	case key.Timed():
		return Time
	}
	return Throughput
}

// Basis is what the interval of a figure stands on.
type Basis string

// The bases, from worst to best.
const (
	// NoBasis is a single pass too short to say how much it varies.
	NoBasis Basis = "one short pass"
	// OnePass knows how a single pass varied within itself, and not how much the
	// next one would differ.
	OnePass Basis = "one pass"
	Repeats Basis = "repeats"
)

// Figure is what a session gave of one load.
type Figure struct {
	// Value is the median of the repeats, in bytes a second or in seconds.
	Value float64 `json:"value"`
	// Rate is the median of the bytes a second, whatever it is judged by.
	Rate unit.BytesPerSecond `json:"bytes_per_second"`
	// IOPS is the median of the operations a second.
	IOPS    float64 `json:"iops"`
	Repeats int     `json:"repeats"`
	Basis   Basis   `json:"basis"`
	// Known is false where the session does not have the load.
	Known bool `json:"known"`
	// Passes are the indexes of the session's passes.
	Passes []int `json:"passes"`

	spread spread
}

// Loads are the figures of a session by what was asked for, in the order in which
// they were measured first.
type Loads struct {
	Order   []session.Key
	Figures map[session.Key]Figure
}

// LoadsOf gives the figures of a session by what was asked for.
func LoadsOf(s *session.Session) Loads {
	var made Loads
	for _, each := range figuresOf(s) {
		made.put(each.Key, each.Figure)
	}
	return made
}

// keyed is a figure with what was asked for.
type keyed struct {
	session.Key
	Figure
}

// figuresOf are the figures of a session in the order in which they were measured first.
func figuresOf(s *session.Session) []keyed {
	groups := groupsOf(s)
	made := make([]keyed, 0, len(groups))
	for i := range groups {
		if figure, known := ofGroup(groups[i].Key, groups[i].Passes); known {
			made = append(made, keyed{groups[i].Key, figure})
		}
	}
	return made
}

// byLevel gives the figures of a session at each fill level, by the load alone.
func byLevel(s *session.Session) map[float64][]keyed {
	levels := map[float64][]keyed{}
	for _, each := range figuresOf(s) {
		level := each.Fill
		each.Fill = 0
		levels[level] = append(levels[level], each)
	}
	return levels
}

func (l *Loads) put(key session.Key, figure Figure) {
	if l.Figures == nil {
		l.Figures = map[session.Key]Figure{}
	}
	l.Order = append(l.Order, key)
	l.Figures[key] = figure
}

// ofGroup is the figure of passes that are alike, where one of them has one.
func ofGroup(key session.Key, passes []*session.Pass) (figure Figure, known bool) {
	metric := MetricOf(key)
	passes = slices.DeleteFunc(passes, func(p *session.Pass) bool { return metric.of(p) <= 0 })
	if len(passes) == 0 {
		return Figure{}, false
	}
	return figureOf(metric, passes), true
}

// groupsOf are the passes and the copies of a session that are alike.
func groupsOf(s *session.Session) []session.Group {
	var copies session.Groups
	for i := range s.Copies {
		if c := &s.Copies[i]; c.Counts() {
			_, pass := s.Recording(c)
			if pass.ByHand == nil {
				pass.Throughput = withinOf(pass)
			}
			copies.Add(c.Key(s), pass)
		}
	}
	return append(s.Alike(nil), copies.List...)
}

// withinOf is the interval of the mean of a recording's own samples; nil where it is
// too short.
func withinOf(recording *session.Pass) *session.RateInterval {
	var rates []float64
	for _, sample := range recording.Samples {
		rates = append(rates, float64(sample.BytesPerSecond))
	}
	interval, ok := stat.MeanInterval(rates)
	if !ok {
		return nil
	}
	return &session.RateInterval{Low: unit.BytesPerSecond(interval.Low), High: unit.BytesPerSecond(interval.High)}
}

func figureOf(metric Metric, passes []*session.Pass) Figure {
	count := len(passes)
	figure := Figure{Known: true, Repeats: count, Basis: NoBasis, Passes: make([]int, 0, count)}
	room := make([]float64, 4*count)
	values, rates := room[:0:count], room[count:count:2*count]
	iops, logs := room[2*count:2*count:3*count], room[3*count:3*count]
	for _, pass := range passes {
		value := metric.of(pass)
		values, iops, logs = append(values, value), append(iops, pass.IOPS), append(logs, math.Log(value))
		rates = append(rates, float64(pass.BytesPerSecond))
		figure.Passes = append(figure.Passes, pass.Index)
	}
	figure.Value, figure.IOPS = stat.Median(values), stat.Median(iops)
	figure.Rate = unit.BytesPerSecond(stat.Median(rates))
	switch within := passes[0].Throughput; {
	case len(passes) > 1:
		figure.Basis, figure.spread = Repeats, spreadOf(logs)
		figure.spread.variance += handVariance(passes)
	case metric != Latency && within != nil:
		// The time of an amount varies by the same share as its rate.
		half := float64(within.High-within.Low) / 2 / rates[0]
		figure.Basis, figure.spread = OnePass, spreadOfInterval(logs[0], half)
	default:
		figure.spread = spread{mean: logs[0], unknown: true}
	}
	return figure
}

// handVariance is what a reaction adds to the variance of a mean of logarithms: whoever is
// late at every start and early at every end is so in all repeats, so that they do not take
// it away.
func handVariance(passes []*session.Pass) float64 {
	share, timed := 0.0, false
	for _, p := range passes {
		if p.ByHand != nil && p.ElapsedSeconds > 0 {
			share, timed = share+p.ByHand.WithinSeconds/p.ElapsedSeconds/float64(len(passes)), true
		}
	}
	if !timed {
		return 0
	}
	return spreadOfInterval(0, share).variance
}

// Interval gives the 95% interval of a figure, and whether it is known.
func (f Figure) Interval() (low, high float64, known bool) {
	if !f.Known || f.spread.unknown {
		return 0, 0, false
	}
	half := studentQuantile(f.spread.freedom) * math.Sqrt(f.spread.variance)
	return math.Exp(f.spread.mean - half), math.Exp(f.spread.mean + half), true
}

// LogDeviation is how far the next session's figure may be from this one, as the
// standard deviation of its logarithm, and whether that is known.
func (f Figure) LogDeviation() (deviation float64, known bool) {
	return math.Sqrt(f.spread.variance), f.Known && !f.spread.unknown
}
