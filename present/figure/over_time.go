package figure

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var overTimeForm = Form{
	Name: "over-time", Question: "Does it stay that fast?",
	Section: "over-time", Title: "Over time", Fold: "The levels as a table", Together: true,
	OverTime: true,
	Missing:  "has no long pass, so there is nothing to see over time",
	Of:       func(subject Subject) []Figure { return asFigures(overTimeOf(subject)) },
}

// OverTime is long passes of several sessions beside each other, on the same axes: a panel
// a session, or a panel a cell of a review with all its visits.
type OverTime struct {
	ID, Title, Subtitle string
	Unit                string
	Writes              bool
	// Seconds is where the axis of time ends, in all panels.
	Seconds float64
	Panels  []Panel
}

// Panel is one of them.
type Panel struct {
	Name string
	// Throughput has a line a session, and Temperature the warmest sensor of the first.
	Throughput  []Line
	Temperature *Line
	Spans       []Span
	// Level is the median throughput of the last tenth, and Text the same with its unit.
	Level float64
	Text  string
}

const (
	// mostPanels are drawn; what is beyond is said.
	mostPanels = 12
	// mostInPanel is how many sessions are drawn over each other.
	mostInPanel = 2
	// fewestPanels make a figure: one alone is a heat trace.
	fewestPanels = 2
)

// overTimeOf are the long writes and the long reads of a subject.
func overTimeOf(subject Subject) []OverTime {
	var all []OverTime
	for _, writes := range []bool{true, false} {
		o := newOverTime(subject, writes)
		if len(o.Panels) >= fewestPanels {
			o.finish()
			all = append(all, o)
		}
	}
	return all
}

func newOverTime(subject Subject, writes bool) OverTime {
	o := OverTime{ID: "over-time-reads", Title: "Reads over time", Unit: subject.Notation.Unit(), Writes: writes}
	if writes {
		o.ID, o.Title = "over-time-writes", "Writes over time"
	}
	for _, s := range subject.Sessions {
		findings := subject.Findings[s.ID]
		passes := longPasses(ranOn(s, findings))
		at := slices.IndexFunc(passes, func(p *session.Pass) bool {
			return p.Counts() && (p.Operation != load.Read) == writes
		})
		if at >= 0 {
			o.take(s, passes[at], findings, subject.Notation)
		}
	}
	return o
}

// take draws a pass in its panel.
func (o *OverTime) take(s *session.Session, pass *session.Pass, findings []session.Finding, notation unit.Notation) {
	name := s.DisplayName()
	if s.Review != nil {
		name = s.Review.Cell
	}
	trace := NewHeatTrace(s, pass, findings, notation)
	line := Line{Name: s.DisplayName(), Points: coarse(trace.Throughput.Points)}
	at := slices.IndexFunc(o.Panels, func(p Panel) bool { return p.Name == name })
	if at < 0 {
		level := levelBetween(pass, trace.Seconds*0.9, trace.Seconds)
		panel := Panel{Name: name, Spans: trace.Spans, Level: notation.Value(level), Text: notation.Rate(level)}
		if warm, ok := warmest(trace.Temperatures); ok {
			panel.Temperature = &Line{Name: s.DisplayName() + ", " + warm.Name, Points: coarse(warm.Points)}
		}
		o.Panels = append(o.Panels, panel)
		at = len(o.Panels) - 1
	}
	if len(o.Panels[at].Throughput) < mostInPanel {
		o.Panels[at].Throughput = append(o.Panels[at].Throughput, line)
		o.Seconds = max(o.Seconds, trace.Seconds)
	}
}

// finish puts the fastest at the end first, and leaves out what has no room.
func (o *OverTime) finish() {
	slices.SortStableFunc(o.Panels, func(a, b Panel) int { return cmp.Compare(b.Level, a.Level) })
	o.Subtitle = "all on the same axes, the fastest at the end first; below it the warmest sensor"
	if more := len(o.Panels) - mostPanels; more > 0 {
		o.Subtitle += fmt.Sprintf("; %d more are not drawn", more)
		o.Panels = o.Panels[:mostPanels]
	}
}

// warmest is the line that gets warmest.
func warmest(lines []Line) (Line, bool) {
	best, most := Line{}, 0.0
	for _, line := range lines {
		for _, p := range line.Points {
			if p.Value > most {
				best, most = line, p.Value
			}
		}
	}
	return best, most > 0
}

// coarse keeps as many points as a panel has room for.
func coarse(points []Point) []Point {
	const most = 80
	return thinnedTo(points, most)
}

// Head is what stands over the figure.
func (o OverTime) Head() Head {
	return Head{ID: o.ID, Title: o.Title, Subtitle: o.Subtitle, Message: o.message()}
}

// Summary says in words what it shows.
func (o OverTime) Summary() string {
	var texts []string
	for _, panel := range o.Panels {
		text := panel.Name + " ends at " + panel.Text
		for _, kind := range panel.kinds() {
			text += ", " + kind
		}
		texts = append(texts, text)
	}
	return o.Title + ": " + strings.Join(texts, "; ") + "."
}

// kinds are what findings mark in the panel, each once.
func (p Panel) kinds() []string {
	var kinds []string
	for _, span := range p.Spans {
		if !slices.Contains(kinds, span.Kind) {
			kinds = append(kinds, span.Kind)
		}
	}
	return kinds
}

// Table has the levels: at the beginning, in the middle and at the end.
func (o OverTime) Table() table.Table {
	t := table.Table{Columns: []table.Column{table.Text("what"), table.Number("at first, " + o.Unit),
		table.Number("median"), table.Number("at the end"), table.Text("marked")}}
	for _, panel := range o.Panels {
		var values []float64
		for _, p := range panel.Throughput[0].Points {
			values = append(values, p.Value)
		}
		t.Rows = append(t.Rows, []string{panel.Name, unit.Digits(values[0], 4), unit.Digits(stat.Median(values), 4),
			unit.Digits(panel.Level, 4), strings.Join(panel.kinds(), ", ")})
	}
	return t
}
