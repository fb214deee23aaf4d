package figure

import (
	"math"
	"strconv"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"opengauge/core/unit"
)

// Margins of the strip on the sheet, in pixels.
const (
	stripLeft   = 110
	stripRight  = 40
	stripTop    = 64
	stripBottom = 130
	hopGap      = 14
)

// Draw draws the hops side by side, each as tall as what it can carry,
// with the measured flow through all of them.
func (strip ChainStrip) Draw(sheet draw.Canvas) error {
	small := style(14, CeilingGrey, false)
	room := sheet.Max.X - sheet.Min.X - 2*pixels(margin)
	sheet.FillText(small, vg.Point{X: sheet.Min.X + pixels(margin), Y: sheet.Max.Y - pixels(18)},
		fitting(small, strip.Unit+"; each hop is as tall as the most it carries, its usable range hatched; higher carries "+
			"more", room))
	left, right := pixels(stripLeft), pixels(stripRight)
	if narrow(sheet) {
		left, right = pixels(stripLeft/2), pixels(margin/2)
	}
	area := draw.Crop(sheet, left, -right, pixels(stripBottom), -pixels(stripTop))
	stripAxis(area, strip)
	width := (area.Max.X - area.Min.X) / vg.Length(max(len(strip.Hops), 1))
	for i, hop := range strip.Hops {
		left := area.Min.X + width*vg.Length(i)
		drawHop(area, strip, hop, left, width)
	}
	drawFlow(area, strip, width)
	return nil
}

// height is how far above the axis a value is.
func height(area draw.Canvas, strip ChainStrip, value float64) vg.Length {
	return area.Min.Y + (area.Max.Y-area.Min.Y)*vg.Length(value/strip.Top)
}

func stripAxis(area draw.Canvas, strip ChainStrip) {
	label := style(14, Ink, false)
	label.XAlign, label.YAlign = draw.XRight, draw.YCenter
	const ticks = 4
	for tick := range ticks + 1 {
		value := strip.Top * float64(tick) / ticks
		y := height(area, strip, value)
		area.StrokeLine2(draw.LineStyle{Color: wash(CeilingGrey, 60), Width: pixels(1)}, area.Min.X, y, area.Max.X, y)
		area.FillText(label, vg.Point{X: area.Min.X - pixels(10), Y: y}, axisNumber(value))
	}
}

// axisNumber writes a round number as everywhere else.
func axisNumber(value float64) string {
	if value >= 1000 && value == math.Trunc(value) {
		return unit.Grouped(int64(value))
	}
	return strconv.FormatFloat(value, 'g', 6, 64)
}

func rectangle(left, bottom, right, top vg.Length) vg.Rectangle {
	return vg.Rectangle{Min: vg.Point{X: left, Y: bottom}, Max: vg.Point{X: right, Y: top}}
}

func drawHop(area draw.Canvas, strip ChainStrip, hop StripHop, left, width vg.Length) {
	from, to := left+pixels(hopGap)/2, left+width-pixels(hopGap)/2
	low, high := height(area, strip, hop.Low), height(area, strip, hop.High)
	area.SetColor(wash(CeilingGrey, 70))
	area.Fill(rectangle(from, area.Min.Y, to, low).Path())
	hatch(area, rectangle(from, low, to, high))
	if hop.Capable > 0 {
		dashes := draw.LineStyle{Color: paint(CeilingGrey), Width: pixels(2), Dashes: []vg.Length{pixels(6), pixels(4)}}
		box := rectangle(from, high, to, height(area, strip, hop.Capable))
		area.StrokeLines(dashes, []vg.Point{{X: box.Min.X, Y: box.Min.Y}, {X: box.Min.X, Y: box.Max.Y},
			{X: box.Max.X, Y: box.Max.Y}, {X: box.Max.X, Y: box.Min.Y}})
	}
	if hop.Mark != "" && hop.High > 0 {
		area.SetColor(paint(Ink))
		area.SetLineWidth(pixels(3))
		area.Stroke(rectangle(from, area.Min.Y, to, high).Path())
	}
	middle := left + width/2
	text := func(size float64, colour string, bold bool, y vg.Length, words string) {
		face := style(size, colour, bold)
		face.XAlign, face.YAlign = draw.XCenter, draw.YTop
		area.FillText(face, vg.Point{X: middle, Y: y}, fitting(face, words, width))
	}
	large := 16.0
	if width < pixels(130) {
		large = 12
	}
	above := style(large, Ink, true)
	above.XAlign, above.YAlign = draw.XCenter, draw.YBottom
	area.FillText(above, vg.Point{X: middle, Y: max(high, height(area, strip, hop.Capable)) + pixels(6)}, hop.Text)
	text(large, Ink, true, area.Min.Y-pixels(12), hop.Standard)
	text(large-2, CeilingGrey, false, area.Min.Y-pixels(38), hop.Name)
	if hop.Mark != "" {
		text(large-1, Ink, true, area.Min.Y-pixels(62), hop.Mark)
	}
}

// hatch fills a box with slanted lines: the range between what a hop carries at
// the least and at the most.
func hatch(area draw.Canvas, box vg.Rectangle) {
	const step = 9
	var lines vg.Path // all of them as one, so that a drawing stays small
	tall := box.Max.Y - box.Min.Y
	for x := box.Min.X - tall; x < box.Max.X; x += pixels(step) {
		from, to := vg.Point{X: x, Y: box.Min.Y}, vg.Point{X: x + tall, Y: box.Max.Y}
		if from.X < box.Min.X {
			from.Y, from.X = from.Y+(box.Min.X-from.X), box.Min.X
		}
		if to.X > box.Max.X {
			to.Y, to.X = to.Y-(to.X-box.Max.X), box.Max.X
		}
		lines.Move(from)
		lines.Line(to)
	}
	area.SetLineWidth(pixels(1))
	area.SetLineDash(nil, 0)
	area.SetColor(wash(CeilingGrey, 150))
	area.Stroke(lines)
	area.SetColor(paint(CeilingGrey))
	area.Stroke(box.Path())
}

func drawFlow(area draw.Canvas, strip ChainStrip, width vg.Length) {
	if strip.Flow == nil {
		return
	}
	y := height(area, strip, strip.Flow.Value)
	area.SetColor(wash(strip.Flow.Colour(), 120))
	area.Fill(rectangle(area.Min.X, area.Min.Y, area.Min.X+width*vg.Length(len(strip.Hops)), y).Path())
	area.StrokeLine2(draw.LineStyle{Color: paint(strip.Flow.Colour()), Width: pixels(3)}, area.Min.X, y, area.Max.X, y)
	label := style(16, strip.Flow.Colour(), true)
	label.XAlign, label.YAlign = draw.XLeft, draw.YTop
	area.FillText(label, vg.Point{X: area.Min.X, Y: area.Min.Y - pixels(98)},
		fitting(label, "measured: "+strip.Flow.Text+", "+strip.Flow.Label, area.Max.X-area.Min.X))
}
