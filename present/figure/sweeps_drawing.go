package figure

import (
	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"opengauge/core/unit"
)

// Draw draws a line a session, each with a mark and a dash of its own, and its name at its
// end.
func (s Sweep) Draw(sheet draw.Canvas) error {
	p := plot.New()
	dress(p)
	p.X.Label.Text, p.Y.Label.Text = s.Over, "throughput in "+s.Unit
	p.Y.Min, p.Y.Max = 0, s.Top()
	p.X.Min, p.X.Max = -0.2, float64(len(s.Ticks))-0.8
	var ticks []plot.Tick
	for place, text := range s.Ticks {
		ticks = append(ticks, plot.Tick{Value: float64(place), Label: text})
	}
	p.X.Tick.Marker = plot.ConstantTicks(ticks)
	for i, line := range s.Lines {
		if err := s.addLine(p, line, i); err != nil {
			return err
		}
	}
	area := draw.Crop(sheet, pixels(margin), -namesRight(sheet), pixels(margin), -pixels(topGap))
	p.Draw(area)
	canvas := p.DataCanvas(area)
	_, ys := p.Transforms(&canvas)
	names := lineNames{sheet: sheet}
	for i, line := range s.Lines {
		last := line.Points[len(line.Points)-1]
		names.write(ys(last.Value), i, line.Name, unit.Digits(last.Value, 4)+" "+s.Unit+" at the end")
	}
	return nil
}

// lineDashes tell lines over time apart, which have no marks.
var lineDashes = [][]vg.Length{nil, {pixels(10), pixels(4)}, {pixels(3), pixels(3)},
	{pixels(12), pixels(3), pixels(3), pixels(3)}}

func (s Sweep) addLine(p *plot.Plot, line Line, number int) error {
	drawn, err := plotter.NewLine(points(line))
	if err != nil {
		return err
	}
	colour := paint(lineColours[number%len(lineColours)])
	drawn.Color, drawn.Width, drawn.Dashes = colour, pixels(2.4), lineDashes[number%len(lineDashes)]
	p.Add(drawn)
	marks, err := plotter.NewScatter(points(line))
	if err != nil {
		return err
	}
	marks.Color, marks.Radius, marks.Shape = colour, pixels(5), lineMarks[number%len(lineMarks)]
	p.Add(marks)
	return nil
}
