package compare

import (
	"math"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Metric is a figure of a load that sessions are compared by.
type Metric string

// The metrics. Throughput is better when it is higher, latency when it is lower.
const (
	Throughput Metric = "throughput"
	Latency    Metric = "p99 latency"
)

// HigherIsBetter says which way is better.
func (m Metric) HigherIsBetter() bool { return m != Latency }

// of gives the metric of a pass: bytes a second, or seconds.
func (m Metric) of(pass *session.Pass) float64 {
	if m == Latency {
		return pass.Latency.P99
	}
	return float64(pass.BytesPerSecond)
}

// metricOf is what a load is judged by. Where operations arrive on a schedule it is
// the schedule that says how many bytes there are.
func metricOf(load plan.Pass) Metric {
	if load.Rate > 0 {
		return Latency
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

// loads are the figures of a session by what was asked for, in the order in which
// they were measured first.
type loads struct {
	order   []plan.Pass
	figures map[plan.Pass]Figure
}

// loadsOf gives the figures of a session's whole passes.
func loadsOf(s *session.Session) loads {
	return collect(s, func(asked plan.Pass) (string, plan.Pass) { return "", asked })[""]
}

// collect gives the figures of a session, split by a key: split gives that of a
// pass by what it asked, and the load that it counts as.
func collect(s *session.Session, split func(asked plan.Pass) (key string, load plan.Pass)) map[string]loads {
	type place struct {
		key  string
		load plan.Pass
	}
	groups, made := map[place][]*session.Pass{}, map[string]loads{}
	add := func(asked plan.Pass, pass *session.Pass) {
		if pass.CutShort || metricOf(asked).of(pass) <= 0 {
			return
		}
		key, load := split(asked)
		where := place{key, load}
		if groups[where] == nil {
			each := made[key]
			each.order = append(each.order, load)
			made[key] = each
		}
		groups[where] = append(groups[where], pass)
	}
	for at := range s.Passes {
		add(s.Passes[at].Load(), &s.Passes[at])
	}
	for at := range s.Copies {
		add(s.Copies[at].Load(s), asPass(&s.Copies[at]))
	}
	for where, passes := range groups {
		each := made[where.key]
		if each.figures == nil {
			each.figures = map[plan.Pass]Figure{}
		}
		each.figures[where.load] = figureOf(metricOf(where.load), passes)
		made[where.key] = each
	}
	return made
}

// asPass gives what a copy did as a pass has it, as far as figures need it.
func asPass(c *session.Copy) *session.Pass {
	made := &session.Pass{Index: c.Index, CutShort: c.CutShort, BytesPerSecond: c.BytesPerSecond, IOPS: c.FilesPerSecond, Repeat: c.Repeat}
	var rates []float64
	for _, sample := range c.Samples {
		rates = append(rates, float64(sample.BytesPerSecond))
	}
	if interval, known := stat.MeanInterval(rates); known {
		made.Throughput = &session.Interval{Low: unit.BytesPerSecond(interval.Low), High: unit.BytesPerSecond(interval.High)}
	}
	return made
}

func figureOf(metric Metric, passes []*session.Pass) Figure {
	figure := Figure{Known: true, Repeats: len(passes), Basis: NoBasis, Passes: []int{}}
	var values, iops, logs []float64
	for _, pass := range passes {
		value := metric.of(pass)
		values, iops, logs = append(values, value), append(iops, pass.IOPS), append(logs, math.Log(value))
		figure.Passes = append(figure.Passes, pass.Index)
	}
	figure.Value, figure.IOPS = stat.Median(values), stat.Median(iops)
	switch within := passes[0].Throughput; {
	case len(passes) > 1:
		figure.Basis, figure.spread = Repeats, spreadOf(logs)
	case metric == Throughput && within != nil:
		half := float64(within.High-within.Low) / 2 / values[0]
		figure.Basis, figure.spread = OnePass, spreadOfInterval(logs[0], half)
	default:
		figure.spread = spread{mean: logs[0], unknown: true}
	}
	return figure
}

// rate is a value as throughput.
func rate(value float64) unit.BytesPerSecond { return unit.BytesPerSecond(value) }

// Interval gives the 95% interval of a figure, and whether it is known.
func (f Figure) Interval() (low, high float64, known bool) {
	if !f.Known || f.spread.unknown {
		return 0, 0, false
	}
	half := studentQuantile(f.spread.freedom) * math.Sqrt(f.spread.variance)
	return math.Exp(f.spread.mean - half), math.Exp(f.spread.mean + half), true
}
