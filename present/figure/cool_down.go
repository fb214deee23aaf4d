package figure

import (
	"fmt"
	"math"
	"strings"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"opengauge/core/judge/cooling"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var coolDownForm = Form{
	Name: "cool-down", Question: "How fast does it cool down?", Together: true,
	Section: "cool-down", Title: "Cooling down", Fold: "The rests as a table", OverTime: true,
	Missing: "has no rest in which a thermometer fell by three kelvins, so there is no cooling to draw",
	Of: func(subject Subject) []Figure {
		return one(NewCoolDown(subject.Sessions))
	},
}

// CoolDown is how storage cooled down while it was let be: a panel a session, all on the
// same axes.
type CoolDown struct {
	ID, Title, Subtitle string
	// Seconds is where the axis of time ends, from the warmest reading on.
	Seconds float64
	Curves  []Cooled
}

// Cooled is one of its curves.
type Cooled struct {
	Name, Sensor string
	// Read is what the thermometer said, and Fitted the exponential; nil where none is told.
	Read   Line
	Fitted *Line
	// Constant is the time constant for people; empty where none is told.
	Constant string
	seconds  float64
	from, to unit.Celsius
}

// NewCoolDown takes the longest rest of each session in which it cooled down; false where
// none did.
func NewCoolDown(sessions []*session.Session) (CoolDown, bool) {
	c := CoolDown{ID: "cool-down", Title: "Cooling down at rest",
		Subtitle: "what the thermometer said, and the exponential through it, dashed"}
	for _, s := range sessions {
		told, ok := cooling.Told(s)
		if !ok {
			if all := cooling.Of(s); len(all) > 0 {
				told, ok = all[0], true
			}
		}
		if ok && len(c.Curves) < mostPanels {
			c.take(s, told)
		}
	}
	return c, len(c.Curves) > 0
}

func (c *CoolDown) take(s *session.Session, told cooling.Curve) {
	began := told.Points[len(told.Points)-1].Seconds - told.ElapsedSeconds
	made := Cooled{Name: s.DisplayName(), Sensor: told.Sensor, Read: Line{Name: told.Sensor}, from: told.From, to: told.To}
	for _, p := range told.Points {
		if p.Seconds >= began {
			made.Read.Points = append(made.Read.Points, Point{p.Seconds - began, p.Celsius})
		}
	}
	if told.Fit != nil {
		made.Constant, made.seconds = table.TimeConstant(told.Fit), told.Fit.TimeConstantSeconds
		fitted := Line{Name: "exponential"}
		const steps = 40
		for i := range steps + 1 {
			at := told.ElapsedSeconds * float64(i) / steps
			fitted.Points = append(fitted.Points, Point{at, told.Fit.At(began + at)})
		}
		made.Fitted = &fitted
	}
	made.Read.Points = coarse(made.Read.Points)
	c.Seconds = max(c.Seconds, told.ElapsedSeconds)
	c.Curves = append(c.Curves, made)
}

// Head is what stands over the figure.
func (c CoolDown) Head() Head {
	return Head{ID: c.ID, Title: c.Title, Subtitle: c.Subtitle, Message: c.message()}
}

func (c CoolDown) message() string {
	first := c.Curves[0]
	text := fmt.Sprintf("%s cools from %s to %s", first.Name, first.from, first.to)
	if first.Constant != "" {
		text += fmt.Sprintf(", with a time constant of %s s", unit.Digits(first.seconds, 3))
	}
	return text
}

// Summary says in words what it shows.
func (c CoolDown) Summary() string {
	var texts []string
	for _, curve := range c.Curves {
		text := fmt.Sprintf("%s, %s: from %s to %s", curve.Name, curve.Sensor, curve.from, curve.to)
		if curve.Constant != "" {
			text += ", time constant " + curve.Constant
		}
		texts = append(texts, text)
	}
	return strings.Join(texts, "; ") + "."
}

// Table has a row a curve.
func (c CoolDown) Table() table.Table {
	t := table.Table{Columns: []table.Column{table.Text("session"), table.Text("thermometer"), table.Number("from"),
		table.Number("to"), table.Number("time constant")}}
	for _, curve := range c.Curves {
		t.Rows = append(t.Rows, []string{curve.Name, curve.Sensor, curve.from.String(), curve.to.String(), curve.Constant})
	}
	return t
}

// Height is what its rows take.
func (c CoolDown) Height(width float64) float64 { return panelsHeight(len(c.Curves), width) }

// Draw draws a panel a curve.
func (c CoolDown) Draw(sheet draw.Canvas) error {
	top := 20.0
	for _, curve := range c.Curves {
		top = max(top, highest(curve.Read))
	}
	frame := panelFrame{seconds: max(c.Seconds, 1e-9), top: Top(top * 1.05), unit: "°C"}
	for i, part := range panelParts(sheet, len(c.Curves)) {
		frame.cooled(part, c.Curves[i])
	}
	return nil
}

// cooled draws one curve.
func (f panelFrame) cooled(part draw.Canvas, curve Cooled) {
	name, small := style(13, Ink, true), style(11, CeilingGrey, false)
	width := part.Max.X - part.Min.X
	part.FillText(name, vg.Point{X: part.Min.X + pixels(4), Y: part.Max.Y - pixels(16)},
		fittingName(name, curve.Name+", "+curve.Sensor, width-pixels(8)))
	box := rectangle(part.Min.X+pixels(panelAxis), part.Min.Y+pixels(panelFoot), part.Max.X, part.Max.Y-pixels(panelHead))
	f.lane(part, box, f.top, f.unit)
	f.line(part, box, curve.Read, f.top, draw.LineStyle{Color: paint(Temperature), Width: pixels(2)})
	if curve.Fitted != nil {
		f.line(part, box, *curve.Fitted, f.top, draw.LineStyle{Color: paint(Ink), Width: pixels(1.2),
			Dashes: []vg.Length{pixels(5), pixels(4)}})
	}
	words := style(12, Ink, false)
	words.XAlign, words.YAlign = draw.XRight, draw.YTop
	text := fmt.Sprintf("%s to %s", curve.from, curve.to)
	if curve.Constant != "" {
		text += ", time constant " + curve.Constant
	}
	part.FillText(words, vg.Point{X: box.Max.X - pixels(6), Y: box.Max.Y - pixels(6)},
		fitting(words, text, box.Max.X-box.Min.X-pixels(12)))
	small.YAlign = draw.YTop
	part.FillText(small, vg.Point{X: box.Min.X, Y: box.Min.Y - pixels(5)}, "0")
	small.XAlign = draw.XRight
	part.FillText(small, vg.Point{X: box.Max.X, Y: box.Min.Y - pixels(5)}, axisNumber(math.Round(f.seconds))+" s of rest")
}
