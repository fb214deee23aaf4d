package figure

import (
	"math"
	"slices"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Panels, in pixels.
const (
	panelHeight = 186
	panelHead   = 24
	panelFoot   = 20
	panelAxis   = 52
	panelHeat   = 40
	// lowLevel is the share of the axis below which a level runs through words at the foot.
	lowLevel = 0.25
)

func panelColumns(count int, width float64) int {
	switch {
	case count == 1:
		return 1
	case width < narrowBelow && count > 4:
		return 2
	case width < narrowBelow:
		return 1
	case count == 2 || count == 4:
		return 2
	}
	return 3
}

// panelsHeight is what the rows of so many panels take.
func panelsHeight(count int, width float64) float64 {
	columns := panelColumns(count, width)
	return float64((count+columns-1)/columns)*panelHeight + 10
}

// panelParts are the parts of a sheet that so many panels are drawn on, in a grid.
func panelParts(sheet draw.Canvas, count int) []draw.Canvas {
	area := draw.Crop(sheet, pixels(margin/2), -pixels(margin/2), pixels(4), -pixels(4))
	columns := panelColumns(count, float64((sheet.Max.X-sheet.Min.X)/pixels(1)))
	rows := (count + columns - 1) / columns
	width := (area.Max.X - area.Min.X) / vg.Length(columns)
	height := (area.Max.Y - area.Min.Y) / vg.Length(rows)
	parts := make([]draw.Canvas, count)
	for i := range parts {
		left := area.Min.X + width*vg.Length(i%columns)
		upper := area.Max.Y - height*vg.Length(i/columns)
		parts[i] = area
		parts[i].Rectangle = rectangle(left, upper-height, left+width-pixels(10), upper)
	}
	return parts
}

// Height is what its rows take.
func (o OverTime) Height(width float64) float64 { return panelsHeight(len(o.Panels), width) }

// Draw draws the panels in a grid.
func (o OverTime) Draw(sheet draw.Canvas) error {
	top, warm := 0.0, 20.0
	for _, panel := range o.Panels {
		for _, line := range panel.Throughput {
			top = max(top, highest(line))
		}
		if panel.Temperature != nil {
			warm = max(warm, highest(*panel.Temperature))
		}
	}
	frame := panelFrame{seconds: max(o.Seconds, 1e-9), top: Top(top * 1.05), warm: Top(warm), unit: o.Unit,
		writes: o.Writes}
	for i, part := range panelParts(sheet, len(o.Panels)) {
		frame.draw(part, o.Panels[i])
	}
	return nil
}

func highest(line Line) float64 {
	most := 0.0
	for _, p := range line.Points {
		most = max(most, p.Value)
	}
	return most
}

// panelFrame is the axes that all panels share.
type panelFrame struct {
	seconds, top, warm float64
	unit               string
	writes             bool
}

func (f panelFrame) draw(part draw.Canvas, panel Panel) {
	name, small := style(13, Ink, true), style(11, CeilingGrey, false)
	width := part.Max.X - part.Min.X
	part.FillText(name, vg.Point{X: part.Min.X + pixels(4), Y: part.Max.Y - pixels(16)},
		fittingName(name, panel.Name, width-pixels(8)))
	box := rectangle(part.Min.X+pixels(panelAxis), part.Min.Y+pixels(panelFoot), part.Max.X, part.Max.Y-pixels(panelHead))
	flow := box
	if panel.Temperature != nil {
		flow.Min.Y += pixels(panelHeat + 6)
		heat := box
		heat.Max.Y = box.Min.Y + pixels(panelHeat)
		f.lane(part, heat, f.warm, "°C")
		f.line(part, heat, *panel.Temperature, f.warm, draw.LineStyle{Color: paint(Temperature), Width: pixels(1.5)})
	}
	f.lane(part, flow, f.top, f.unit)
	f.spans(part, flow, panel)
	colour := Throughput
	if f.writes {
		colour = Writes
	}
	for i, line := range panel.Throughput {
		ink := draw.LineStyle{Color: wash(colour, 150), Width: pixels(1.2)}
		if i == 0 {
			ink = draw.LineStyle{Color: paint(colour), Width: pixels(1.8)}
		}
		f.line(part, flow, line, f.top, ink)
	}
	end := style(12, Ink, true)
	last := panel.Throughput[0].Points[len(panel.Throughput[0].Points)-1]
	x := flow.Min.X + (flow.Max.X-flow.Min.X)*vg.Length(last.Seconds/f.seconds) + pixels(5)
	x = min(x, flow.Max.X-end.Width(panel.Text)-pixels(3))
	y := flow.Min.Y + (flow.Max.Y-flow.Min.Y)*vg.Length(panel.Level/f.top)
	part.FillText(end, vg.Point{X: x, Y: min(y+pixels(5), flow.Max.Y-pixels(11))}, panel.Text)
	small.YAlign = draw.YTop
	part.FillText(small, vg.Point{X: box.Min.X, Y: box.Min.Y - pixels(5)}, "0")
	small.XAlign = draw.XRight
	part.FillText(small, vg.Point{X: box.Max.X, Y: box.Min.Y - pixels(5)}, axisNumber(math.Round(f.seconds))+" s")
}

// lane draws the frame of an axis from zero.
func (f panelFrame) lane(part draw.Canvas, box vg.Rectangle, top float64, unit string) {
	part.SetColor(wash(CeilingGrey, 120))
	part.SetLineWidth(pixels(1))
	part.SetLineDash(nil, 0)
	part.Stroke(box.Path())
	small := style(11, CeilingGrey, false)
	small.XAlign = draw.XRight
	part.FillText(small, vg.Point{X: box.Min.X - pixels(4), Y: box.Min.Y}, "0")
	small.YAlign = draw.YTop
	part.FillText(small, vg.Point{X: box.Min.X - pixels(4), Y: box.Max.Y}, axisNumber(top))
	if box.Max.Y-box.Min.Y > pixels(50) {
		part.FillText(small, vg.Point{X: box.Min.X - pixels(4), Y: box.Max.Y - pixels(14)}, unit)
	} else {
		small.YAlign = draw.YCenter
		part.FillText(small, vg.Point{X: box.Min.X - pixels(4), Y: (box.Max.Y + box.Min.Y) / 2}, unit)
	}
}

func (f panelFrame) spans(part draw.Canvas, box vg.Rectangle, panel Panel) {
	named := []string{}
	for _, span := range panel.Spans {
		along := func(t float64) vg.Length { return box.Min.X + (box.Max.X-box.Min.X)*vg.Length(t/f.seconds) }
		colour := SeverityColour(span.Severity)
		part.SetColor(wash(colour, 30))
		part.Fill(rectangle(along(span.From), box.Min.Y, along(span.To), box.Max.Y).Path())
		if len(named) > 1 || slices.Contains(named, span.Kind) {
			continue
		}
		words := style(12, colour, true)
		y := box.Min.Y + pixels(float64(5+15*len(named)))
		if span.Level < f.top*lowLevel { // the line is there
			y = box.Max.Y - pixels(float64(14+15*len(named)))
		}
		named = append(named, span.Kind)
		part.FillText(words, vg.Point{X: box.Min.X + pixels(5), Y: y},
			fitting(words, SeverityMark(span.Severity)+" "+span.Kind, box.Max.X-box.Min.X-pixels(8)))
	}
}

func (f panelFrame) line(part draw.Canvas, box vg.Rectangle, line Line, top float64, ink draw.LineStyle) {
	path := make([]vg.Point, len(line.Points))
	for i, p := range line.Points {
		path[i] = vg.Point{X: box.Min.X + (box.Max.X-box.Min.X)*vg.Length(p.Seconds/f.seconds),
			Y: box.Min.Y + (box.Max.Y-box.Min.Y)*vg.Length(min(p.Value/top, 1))}
	}
	part.StrokeLines(ink, path)
}
