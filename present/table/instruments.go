package table

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"opengauge/core/bench/sensor"
	"opengauge/core/judge/beside"
	"opengauge/core/judge/cooling"
	"opengauge/core/judge/energy"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/storage/wire"
	"opengauge/core/unit"
)

// Power is the table of meters over a session's passes; without rows where there was no meter.
func Power(s *session.Session, n unit.Notation) Table {
	t := Table{Columns: []Column{
		number("pass"), text("load").Kept(), text("meter"), number("mean W").Kept(), number("peak W"),
		number("idle W").Spared(1), number("J/GB").Kept(), number(n.Unit() + " a W"), number("heard").Spared(2),
	}}
	machine := false
	gaps := false
	for _, pass := range inPlanOrder(s) {
		for _, draw := range energy.Of(s, pass) {
			heard := draw.CoveredSeconds / max(pass.ElapsedSeconds, 1e-9)
			row := []string{strconv.Itoa(pass.Index + 1), pass.Label(), MeterName(draw.Key), "", "",
				wattsText(draw.IdleWatts), "", "", unit.Percent(heard)}
			if draw.Told() {
				row[3] = wattsText(draw.MeanWatts)
				row[4] = wattsText(draw.PeakWatts)
			}
			if joules, known := draw.JoulesPerGB(); known {
				bytes, _ := draw.BytesPerJoule()
				row[6] = unit.Digits(joules, 3)
				row[7] = n.Number(unit.BytesPerSecond(bytes))
			}
			machine = machine || draw.Machine
			gaps = gaps || heard < fullyHeard
			t.Rows = append(t.Rows, row)
		}
	}
	if machine {
		t.Notes = append(t.Notes, "A meter of a whole machine counts with what it draws above idle, which a rest of the "+
			"plan tells; without one there is no figure of the storage.")
	}
	if gaps {
		t.Notes = append(t.Notes, "Where a meter was silent nothing is counted: energy and bytes are those of the time in "+
			"which it was heard.")
	}
	return t
}

// fullyHeard is the share of a pass from which on a meter was heard all the time.
const fullyHeard = 0.97

// MeterName is a meter's name for people.
func MeterName(key string) string {
	if name, machine := strings.CutSuffix(key, sensor.MachinePowerEnding); machine {
		return name + ", whole machine"
	}
	if name, own := strings.CutSuffix(key, sensor.PowerEnding); own {
		return name
	}
	return "storage"
}

func wattsText(watts float64) string {
	if math.IsNaN(watts) {
		return ""
	}
	return fmt.Sprintf("%.2f", watts)
}

// Rests is the table of readings while the storage was let be; without rows where there were none.
func Rests(s *session.Session) Table {
	t := Table{Columns: []Column{
		text("rest").Kept(), number("time"), text("thermometer"), number("from").Kept(), number("to").Kept(),
		number("time constant").Kept(), number("comes down to"), text("idle W"),
	}}
	curves := map[int]cooling.Curve{}
	for _, c := range cooling.Of(s) {
		curves[c.Rest] = c
	}
	fitted := false
	for i := range s.Rests {
		rest := &s.Rests[i]
		row := []string{restName(rest), unit.Span(unit.Duration(rest.ElapsedSeconds)), "", "", "", "", "", restWatts(rest)}
		if c, ok := curves[i]; ok {
			row[2] = c.Sensor
			row[3] = c.From.String()
			row[4] = c.To.String()
			if c.Fit != nil {
				fitted = true
				row[5] = TimeConstant(c.Fit)
				row[6] = unit.Celsius(math.Round(c.Fit.FloorCelsius)).String()
			}
		} else if from, to, ok := steady(rest); ok {
			row[2] = "drive"
			row[3] = from.String()
			row[4] = to.String()
		}
		if strings.Join(row[2:], "") != "" {
			t.Rows = append(t.Rows, row)
		}
	}
	if fitted {
		t.Notes = append(t.Notes, "In one time constant it comes nearer to where it cools down to by 63 %.")
	}
	return t
}

// TimeConstant is a fitted time constant with the range that explains the curve about as well.
func TimeConstant(f *cooling.Fit) string {
	return fmt.Sprintf("%s s (%s to %s)", unit.Digits(f.TimeConstantSeconds, 3), unit.Digits(f.Low, 3),
		unit.Digits(f.High, 3))
}

func restName(r *session.Rest) string {
	if r.After < 0 {
		return "at the start"
	}
	return fmt.Sprintf("after pass %d", r.After+1)
}

// steady is the drive's temperature at both ends of a rest that tells no cooling.
func steady(r *session.Rest) (from, to unit.Celsius, ok bool) {
	if len(r.Samples) == 0 {
		return 0, 0, false
	}
	from, began := r.Samples[0].TemperaturesCelsius["drive"]
	to, ended := r.Samples[len(r.Samples)-1].TemperaturesCelsius["drive"]
	return from, to, began && ended && from.Believable() && to.Believable()
}

func restWatts(r *session.Rest) string {
	alone := &session.Session{Rests: []session.Rest{*r}}
	var texts []string
	for _, draw := range energy.OfRest(r) {
		if watts, ok := energy.Idle(alone)[draw.Key]; ok {
			texts = append(texts, wattsText(watts)+" ("+MeterName(draw.Key)+")")
		}
	}
	return strings.Join(texts, ", ")
}

// RoundTrips is the table of round trips over a network alone: at rest, and beside each pass;
// without rows where none were taken.
func RoundTrips(s *session.Session) Table {
	t := Table{Columns: []Column{text("round trip"), text("load").Kept(), number("median").Kept(), number("longest"),
		number("times idle")}}
	idle := math.NaN()
	add := func(when, load string, trips []float64) {
		if len(trips) == 0 {
			return
		}
		median := stat.Median(trips)
		row := []string{when, load, unit.Latency(median), unit.Latency(slices.Max(trips)), ""}
		if idle > 0 && load != "" {
			row[4] = unit.Digits(median/idle, 2)
		}
		t.Rows = append(t.Rows, row)
		if load == "" {
			idle = median
		}
	}
	var resting []float64
	for _, rest := range s.Rests {
		for _, sample := range rest.Samples {
			if trip, ok := sample.Readings[wire.RoundTripReading]; ok {
				resting = append(resting, trip)
			}
		}
	}
	add("idle", "", resting)
	for _, pass := range inPlanOrder(s) {
		var trips []float64
		for _, sample := range pass.Samples {
			if trip, ok := sample.Readings[wire.RoundTripReading]; ok {
				trips = append(trips, trip)
			}
		}
		add("beside pass "+strconv.Itoa(pass.Index+1), pass.Label(), trips)
	}
	return t
}

// Beside is the table of the losses of the storage and of another load to each other; without rows where
// there was no other load.
func Beside(pairs []beside.Pair, n unit.Notation) Table {
	t := Table{Columns: []Column{
		text("session").Spared(1), text("load").Kept(), number(n.Unit() + " alone"), number("with the other").Kept(),
		number("loses"), text("other load"), number("alone"), number("with the storage").Kept(), number("loses"),
	}}
	missing := false
	for _, p := range pairs {
		row := []string{p.Session, p.Pass, beside.Rate(p.Storage.Alone, n), beside.Rate(p.Storage.Together, n),
			lossText(p.Storage, false), p.Figure.Name + ", " + p.Figure.Unit, plainNumber(p.Other.Alone),
			plainNumber(p.Other.Together), lossText(p.Other, p.Lower)}
		missing = missing || row[2] == "" || row[6] == ""
		t.Rows = append(t.Rows, row)
	}
	if missing {
		t.Notes = append(t.Notes, "The other load alone is what its figure is while the storage rests: begin the plan with "+
			"a rest. The storage alone is the same load without the other: compare with a session of it.")
	}
	return t
}

func lossText(f beside.Figures, lowerIsBetter bool) string {
	share, known := f.Loses(lowerIsBetter)
	switch {
	case !known:
		return ""
	case share < 0.005:
		return "nothing"
	}
	return unit.Percent(share)
}

func plainNumber(value float64) string {
	if math.IsNaN(value) {
		return ""
	}
	return unit.Digits(value, 4)
}
