// Package reading reads what sessions measured for a review: which visits there are, which
// of them count, and the figure that is decided by. It judges nothing, and its functions
// may be called by several goroutines at once.
package reading

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"

	"opengauge/core/judge/energy"
	"opengauge/core/judge/move"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/unit"
)

// readers read a figure of one session, by the names of [review.Figures].
var readers = map[string]func(*session.Session, *review.Decision) (float64, error){
	"time":           readTime,
	"rate":           readRate,
	"iops":           readIOPS,
	"latency":        readLatency,
	"watts":          readWatts,
	"energy":         readEnergy,
	"idle-watts":     readIdle,
	"price-for-rate": inverse(readRate, 1e6),
	"price-for-iops": inverse(readIOPS, 1000),
}

// errOther says that a session is not of what is asked: another measurement of the visit is.
var errOther = errors.New("it measures something else")

// Figure reads what is decided by of a cell's session. Prices are multiplied in.
func Figure(s *session.Session, c *review.Cell, d *review.Decision) (float64, error) {
	value, err := readers[d.Figure.Name](s, d)
	if err == nil && d.Figure.Priced {
		value *= c.Price
	}
	if err == nil && !(value > 0 && !math.IsInf(value, 0)) {
		err = fmt.Errorf("%v is no %s", value, d.Figure.Name)
	}
	return value, err
}

func inverse(read func(*session.Session, *review.Decision) (float64, error), unit float64) func(*session.Session,
	*review.Decision) (float64, error) {
	return func(s *session.Session, d *review.Decision) (float64, error) {
		value, err := read(s, d)
		return unit / value, err
	}
}

// passes are those of a session that the figure is of.
func passes(s *session.Session, d *review.Decision) []*session.Pass {
	var found []*session.Pass
	for i := range s.Passes {
		if p := &s.Passes[i]; p.Counts() && d.Of.Copy == "" && d.Of.Matches(p.Load) {
			found = append(found, p)
		}
	}
	return found
}

// copies are those from end to end of the set that the figure is of.
func copies(s *session.Session, d *review.Decision) []*session.Copy {
	var found []*session.Copy
	for i := range s.Copies {
		if c := &s.Copies[i]; c.Counts() && c.Work == session.CopyWhole && c.Set == d.Of.Copy {
			found = append(found, c)
		}
	}
	return found
}

// mean is the geometric one, as all that follows is about shares.
func mean(values []float64) (float64, error) {
	if len(values) == 0 {
		return 0, errOther
	}
	if len(values) == 1 {
		return values[0], nil
	}
	return stat.GeometricMean(values, nil), nil
}

func readTime(s *session.Session, d *review.Decision) (float64, error) {
	if d.Of.Copy != "" {
		var times []float64
		for _, c := range copies(s, d) {
			times = append(times, c.ElapsedSeconds)
		}
		return mean(times)
	}
	if len(passes(s, d)) == 0 {
		return 0, errOther
	}
	return timeFor(s, d)
}

// timeFor takes the curve that recorded most.
func timeFor(s *session.Session, d *review.Decision) (float64, error) {
	var best *move.Curve
	curves := move.Of(s)
	for i := range curves {
		c := &curves[i]
		if !c.Key.IsCopy() && d.Of.Matches(c.Key.Load) && (best == nil || c.Recorded() > best.Recorded()) {
			best = c
		}
	}
	if best == nil {
		return 0, errOther
	}
	t := best.For(d.Amount)
	if !t.Known() {
		return 0, fmt.Errorf("it recorded %s, and how it goes on to %s is not known: let it write for longer",
			best.Recorded().Decimal(), d.Amount.Decimal())
	}
	return t.Seconds, nil
}

func readRate(s *session.Session, d *review.Decision) (float64, error) {
	var rates []float64
	for _, p := range passes(s, d) {
		rates = append(rates, float64(p.BytesPerSecond))
	}
	for _, c := range copies(s, d) {
		rates = append(rates, float64(c.BytesPerSecond))
	}
	return mean(rates)
}

func readIOPS(s *session.Session, d *review.Decision) (float64, error) {
	var rates []float64
	for _, p := range passes(s, d) {
		rates = append(rates, p.IOPS)
	}
	return mean(rates)
}

func readLatency(s *session.Session, d *review.Decision) (float64, error) {
	var latencies []float64
	for _, p := range passes(s, d) {
		latencies = append(latencies, p.Latency.P99)
	}
	return mean(latencies)
}

// draws are those of the passes that the figure is of; of all where it names none.
func draws(s *session.Session, d *review.Decision) ([]energy.Draw, error) {
	var found []energy.Draw
	measured := false
	for i := range s.Passes {
		p := &s.Passes[i]
		if !p.Counts() || d.Of.Copy != "" || d.Of.Text != "" && !d.Of.Matches(p.Load) {
			continue
		}
		measured = true
		if all := energy.Of(s, p); len(all) > 0 && all[0].Told() {
			found = append(found, all[0])
		}
	}
	switch {
	case !measured && d.Of.Text != "":
		return nil, errOther
	case len(found) == 0:
		return nil, errors.New("no power was recorded for most of a pass; name a meter with --probe, as NAME:power=SOURCE")
	}
	return found, nil
}

func readWatts(s *session.Session, d *review.Decision) (float64, error) {
	found, err := draws(s, d)
	if err != nil {
		return 0, err
	}
	joules, seconds := 0.0, 0.0
	for _, draw := range found {
		joules, seconds = joules+draw.Joules, seconds+draw.CoveredSeconds
	}
	return joules / seconds, nil
}

func readEnergy(s *session.Session, d *review.Decision) (float64, error) {
	found, err := draws(s, d)
	if err != nil {
		return 0, err
	}
	joules, bytes := 0.0, 0.0
	for _, draw := range found {
		each, known := draw.JoulesPerGB()
		if !known {
			return 0, errors.New("its meter measures a whole machine, and no rest says what that draws idle; begin the plan " +
				"with a rest")
		}
		joules, bytes = joules+each*float64(draw.Bytes), bytes+float64(draw.Bytes)
	}
	return joules / bytes, nil
}

// readIdle takes the storage's own meter before that of a whole machine.
func readIdle(s *session.Session, _ *review.Decision) (float64, error) {
	idle := energy.Idle(s)
	for _, own := range []func(string) bool{session.StoragePower, session.MachinePower} {
		for _, key := range slices.Sorted(maps.Keys(idle)) {
			if own(key) {
				return idle[key], nil
			}
		}
	}
	return 0, errors.New("no rest says what is drawn idle; name a meter with --probe, as NAME:power=SOURCE, and begin " +
		"the plan with a rest")
}

// Words writes a value of a figure for people.
func Words(f review.Figure, value float64, n unit.Notation) string {
	switch f.Unit {
	case "s":
		return move.Duration(value)
	case "B/s":
		return n.Rate(unit.BytesPerSecond(value))
	case "W", "J/GB":
		return unit.Digits(value, 3) + " " + f.Unit
	case "a second":
		return unit.Grouped(int64(math.Round(value))) + " a second"
	}
	return unit.Digits(value, 3) + " " + f.Unit
}
