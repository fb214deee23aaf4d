package figure

import (
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

const (
	changeRow       = 32
	changeRowNarrow = 52
	changeAxis      = 26
)

// Height is what its rows take.
func (c Change) Height(width float64) float64 {
	row := float64(changeRow)
	if width < narrowBelow {
		row = changeRowNarrow
	}
	return row*float64(len(c.Rows)) + 2*changeAxis
}

// Draw draws a line a pair, from a ring to a dot, on an axis from zero.
func (c Change) Draw(sheet draw.Canvas) error {
	area := draw.Crop(sheet, pixels(margin), -pixels(margin), pixels(changeAxis), -pixels(changeAxis/2))
	step := min((area.Max.Y-area.Min.Y)/vg.Length(max(len(c.Rows), 1)), pixels(2*changeRow))
	size := 14.0
	name, words := style(size, Ink, false), style(size, Ink, true)
	name.YAlign, words.YAlign = draw.YCenter, draw.YCenter
	left, share := area.Min.X, vg.Length(0.6)
	if !narrow(sheet) {
		for _, row := range c.Rows {
			left = max(left, area.Min.X+name.Width(row.Name)+pixels(14))
		}
		left = min(left, area.Min.X+(area.Max.X-area.Min.X)*0.34)
		share = 0.62
	}
	width := (area.Max.X - left) * share
	along := func(value float64) vg.Length { return left + width*vg.Length(value/max(c.Top, 1e-12)) }
	for i, row := range c.Rows {
		y := area.Max.Y - step*(vg.Length(i)+0.5)
		if narrow(sheet) {
			area.FillText(name, vg.Point{X: left, Y: y + step*0.27}, fitting(name, row.Name, area.Max.X-left))
			y -= step * 0.15
		} else {
			area.FillText(name, vg.Point{X: area.Min.X, Y: y}, fitting(name, row.Name, left-area.Min.X-pixels(8)))
		}
		area.StrokeLine2(draw.LineStyle{Color: wash(CeilingGrey, 70), Width: pixels(1)}, left, y, left+width, y)
		c.pair(area, row, along, y)
		x := max(along(row.From), along(row.To)) + pixels(14)
		area.FillText(words, vg.Point{X: x, Y: y}, fitting(words, row.Text, area.Max.X-x))
	}
	axis := style(12, CeilingGrey, false)
	axis.YAlign = draw.YTop
	bottom := area.Max.Y - step*vg.Length(len(c.Rows))
	area.StrokeLine2(draw.LineStyle{Color: paint(CeilingGrey), Width: pixels(1)}, left, area.Max.Y, left, bottom)
	area.FillText(axis, vg.Point{X: left, Y: bottom - pixels(4)}, "0")
	return nil
}

func (c Change) pair(area draw.Canvas, row ChangeRow, along func(float64) vg.Length, y vg.Length) {
	colour := Throughput
	if c.Writes {
		colour = Writes
	}
	area.StrokeLine2(draw.LineStyle{Color: paint(colour), Width: pixels(3)}, along(row.From), y, along(row.To), y)
	area.SetColor(paint(Paper))
	area.DrawGlyph(draw.GlyphStyle{Color: paint(Paper), Radius: pixels(6), Shape: draw.CircleGlyph{}},
		vg.Point{X: along(row.From), Y: y})
	area.SetLineWidth(pixels(2))
	area.DrawGlyph(draw.GlyphStyle{Color: paint(colour), Radius: pixels(6), Shape: draw.RingGlyph{}},
		vg.Point{X: along(row.From), Y: y})
	area.DrawGlyph(draw.GlyphStyle{Color: paint(colour), Radius: pixels(6), Shape: draw.CircleGlyph{}},
		vg.Point{X: along(row.To), Y: y})
}
