package figure

import (
	"fmt"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"opengauge/core/unit"
)

// markEvery is how many points of a line there are from mark to mark.
const markEvery = 12

// Draw draws a line a session, dashed beyond what was recorded, and where they cross.
func (m Moves) Draw(sheet draw.Canvas) error {
	p := plot.New()
	dress(p)
	p.X.Label.Text = "amount moved in GB"
	p.Y.Label.Text = "time in " + m.Unit + " (lower is better)"
	p.X.Min, p.X.Max, p.Y.Min, p.Y.Max = 0, m.Gigabytes, 0, Top(m.Most()*1.05)
	for i, line := range m.Lines {
		if err := addMoveLine(p, line, i); err != nil {
			return err
		}
	}
	area := draw.Crop(sheet, pixels(margin), -namesRight(sheet), pixels(margin), -pixels(topGap))
	p.Draw(area)
	m.annotate(p, p.DataCanvas(area), sheet)
	return nil
}

func addMoveLine(p *plot.Plot, line MoveLine, number int) error {
	colour := lineColours[number%len(lineColours)]
	for _, part := range []struct {
		points []Along
		dashes []vg.Length
	}{{line.Recorded, nil}, {line.Beyond, dashed}} {
		if len(part.points) < 2 {
			continue
		}
		drawn, err := plotter.NewLine(alongs(part.points))
		if err != nil {
			return err
		}
		drawn.Color, drawn.Width, drawn.Dashes = paint(colour), pixels(2.6), part.dashes
		p.Add(drawn)
		var marked []Along
		for i := markEvery / 2; i < len(part.points); i += markEvery {
			marked = append(marked, part.points[i])
		}
		if len(marked) == 0 {
			continue
		}
		marks, err := plotter.NewScatter(alongs(marked))
		if err != nil {
			return err
		}
		marks.Color, marks.Radius, marks.Shape = paint(colour), pixels(4.5), lineMarks[number%len(lineMarks)]
		p.Add(marks)
	}
	return nil
}

func alongs(points []Along) plotter.XYs {
	made := make(plotter.XYs, len(points))
	for i, p := range points {
		made[i].X, made[i].Y = p.Gigabytes, p.Time
	}
	return made
}

// annotate names the lines at their ends, none over another, and the crossings.
func (m Moves) annotate(p *plot.Plot, canvas, sheet draw.Canvas) {
	xs, ys := p.Transforms(&canvas)
	names := lineNames{sheet: sheet}
	for i, line := range m.Lines {
		last := line.Recorded[len(line.Recorded)-1]
		if len(line.Beyond) > 0 {
			last = line.Beyond[len(line.Beyond)-1]
		}
		text := fmt.Sprintf("%s GB: %s %s", unit.Digits(last.Gigabytes, 4), unit.Digits(last.Time, 3), m.Unit)
		if last.Gigabytes < m.Gigabytes*0.999 {
			text += ", then unknown"
		}
		names.write(ys(last.Time), i, line.Name, text)
	}
	for _, mark := range m.Crossings {
		at := vg.Point{X: xs(mark.Gigabytes), Y: ys(mark.Time)}
		canvas.DrawGlyph(draw.GlyphStyle{Color: paint(Ink), Radius: pixels(8), Shape: draw.RingGlyph{}}, at)
		onPaper(canvas, vg.Point{X: at.X + pixels(14), Y: at.Y + pixels(18)}, mark.Text)
	}
}

// onPaper writes a text on paper of its own, so that no line goes through it.
func onPaper(canvas draw.Canvas, at vg.Point, text string) {
	written := style(14, Ink, false)
	box := rectangle(at.X-pixels(4), at.Y-pixels(5), at.X+written.Width(text)+pixels(4), at.Y+pixels(16))
	canvas.SetColor(paint(Paper))
	canvas.Fill(box.Path())
	canvas.FillText(written, at, text)
}
