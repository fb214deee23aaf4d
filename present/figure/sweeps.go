package figure

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var sweepsForm = Form{
	Name: "sweeps", Question: "Which sizes and depths does it take?",
	Section: "sweeps", Title: "Sweeps over each other", Fold: "The sweep as a table", Together: true,
	Missing: "has no sweep over blocks, depths or fill levels that another session shares",
	Of:      func(subject Subject) []Figure { return asFigures(sweepsOf(subject)) },
}

// Sweep is throughput of several sessions over one thing that was varied: a line a session.
type Sweep struct {
	ID, Title, Subtitle string
	// Over is what was varied, and Unit that of throughput.
	Over, Unit string
	Writes     bool
	// Ticks are the values that were measured, evenly apart; points stand at their places.
	Ticks []string
	Lines []Line
}

// varied is something that sweeps vary.
type varied struct {
	name  string
	value func(session.Key) float64
	text  func(float64) string
	fixed func(session.Key) session.Key // the key without it
}

var variedThings = []varied{
	{"block size", func(k session.Key) float64 { return float64(k.Load.Block) },
		func(v float64) string { return unit.Bytes(v).String() },
		func(k session.Key) session.Key { k.Load.Block = 0; return k }},
	{"queue depth", func(k session.Key) float64 { return float64(k.Load.Depth) },
		func(v float64) string { return fmt.Sprintf("%.0f", v) },
		func(k session.Key) session.Key { k.Load.Depth = 0; return k }},
	{"fill level", func(k session.Key) float64 { return k.Fill },
		func(v float64) string { return fmt.Sprintf("%.0f %%", v*100) },
		func(k session.Key) session.Key { k.Fill = 0; return k }},
}

// fewestOfSweep is how many values make a line.
const fewestOfSweep = 3

// sweepsOf are the sweeps that two sessions or more share: of each kind of load the one
// with the most values.
func sweepsOf(subject Subject) []Sweep {
	if len(subject.Sessions) < 2 {
		return nil
	}
	var sweeps []Sweep
	for _, v := range variedThings {
		sweeps = append(sweeps, overValues(subject, v)...)
	}
	return sweeps
}

// overValues are the sweeps over one thing, one an operation and access order.
func overValues(subject Subject, v varied) []Sweep {
	type place struct {
		operation load.Operation
		access    load.Access
	}
	rates := map[session.Key][]map[float64]float64{}
	for number, s := range subject.Sessions {
		for _, group := range s.Alike(nil) {
			if group.Key.Load.Scheduled() || group.Key.Timed() {
				continue
			}
			fixed := v.fixed(group.Key)
			if rates[fixed] == nil {
				rates[fixed] = make([]map[float64]float64, len(subject.Sessions))
			}
			if rates[fixed][number] == nil {
				rates[fixed][number] = map[float64]float64{}
			}
			rates[fixed][number][v.value(group.Key)] = medianRate(group.Passes)
		}
	}
	best := map[place]Sweep{}
	for _, fixed := range sortedByText(rates) {
		sweep, ok := newSweep(subject, v, fixed, rates[fixed])
		at := place{fixed.Load.Operation, fixed.Load.Access}
		if held, known := best[at]; ok && (!known || len(sweep.Ticks) > len(held.Ticks)) {
			best[at] = sweep
		}
	}
	var sweeps []Sweep
	for _, each := range best {
		sweeps = append(sweeps, each)
	}
	slices.SortFunc(sweeps, func(a, b Sweep) int { return strings.Compare(a.ID, b.ID) })
	return sweeps
}

func sortedByText[V any](of map[session.Key]V) []session.Key {
	var keys []session.Key
	for key := range of {
		keys = append(keys, key)
	}
	slices.SortFunc(keys, func(a, b session.Key) int { return strings.Compare(a.String(), b.String()) })
	return keys
}

func medianRate(passes []*session.Pass) float64 {
	var rates []float64
	for _, p := range passes {
		rates = append(rates, float64(p.BytesPerSecond))
	}
	return stat.Median(rates)
}

func newSweep(subject Subject, v varied, fixed session.Key, rates []map[float64]float64) (Sweep, bool) {
	var values []float64
	for _, each := range rates {
		for value := range each {
			if len(each) >= fewestOfSweep && !slices.Contains(values, value) {
				values = append(values, value)
			}
		}
	}
	slices.Sort(values)
	what := fmt.Sprintf("%s %s", fixed.Load.Operation, fixed.Load.Access)
	s := Sweep{ID: "sweep-" + slug(what+" "+v.name+" "+fixed.String()), Title: what + " over " + v.name, Over: v.name,
		Unit: subject.Notation.Unit(), Writes: fixed.Writes(), Subtitle: sweepSubtitle(v, fixed)}
	for _, value := range values {
		s.Ticks = append(s.Ticks, v.text(value))
	}
	for number, each := range rates {
		if len(each) < fewestOfSweep {
			continue
		}
		line := Line{Name: subject.Sessions[number].DisplayName()}
		for place, value := range values {
			if rate, ok := each[value]; ok {
				line.Points = append(line.Points, Point{float64(place), subject.Notation.Value(unit.BytesPerSecond(rate))})
			}
		}
		s.Lines = append(s.Lines, line)
	}
	return s, len(s.Lines) > 1
}

func sweepSubtitle(v varied, fixed session.Key) string {
	var texts []string
	if fixed.Load.Block > 0 {
		texts = append(texts, "blocks of "+fixed.Load.Block.String())
	}
	if fixed.Load.Depth > 0 {
		texts = append(texts, fmt.Sprintf("depth %d", fixed.Load.Depth))
	}
	if besides := fixed.Load.Besides(); besides != "" {
		texts = append(texts, besides)
	}
	if fixed.Fill > 0 {
		texts = append(texts, strings.TrimPrefix(load.Full(fixed.Fill), ", "))
	}
	return strings.Join(append(texts, "higher is better"), ", ")
}

// Head is what stands over the figure.
func (s Sweep) Head() Head {
	return Head{ID: s.ID, Title: s.Title, Subtitle: s.Subtitle, Message: s.message()}
}

// Top is the highest that is drawn.
func (s Sweep) Top() float64 {
	most := 0.0
	for _, line := range s.Lines {
		for _, p := range line.Points {
			most = max(most, p.Value)
		}
	}
	return Top(most * 1.05)
}

// Summary says in words what it shows.
func (s Sweep) Summary() string {
	var texts []string
	for _, line := range s.Lines {
		first, last := line.Points[0], line.Points[len(line.Points)-1]
		texts = append(texts, fmt.Sprintf("%s from %s to %s %s", line.Name, unit.Digits(first.Value, 4),
			unit.Digits(last.Value, 4), s.Unit))
	}
	return s.Title + ": " + strings.Join(texts, "; ") + "."
}

// Table has the values.
func (s Sweep) Table() table.Table {
	t := table.Table{Columns: []table.Column{table.Text(s.Over)}}
	for _, line := range s.Lines {
		t.Columns = append(t.Columns, table.Number(line.Name+" "+s.Unit))
	}
	for place, tick := range s.Ticks {
		row := []string{tick}
		for _, line := range s.Lines {
			text := ""
			for _, p := range line.Points {
				if int(p.Seconds) == place {
					text = unit.Digits(p.Value, 4)
				}
			}
			row = append(row, text)
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}
