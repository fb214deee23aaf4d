package figure

import (
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Draw draws copies between several ends as a grid, shaded by the share of the
// fastest.
func (m CopyMatrix) Draw(sheet draw.Canvas) error {
	left := pixels(margin + 210)
	if narrow(sheet) {
		left = pixels(margin + 66)
	}
	area := draw.Crop(sheet, left, -pixels(margin), pixels(margin), -pixels(40))
	count := vg.Length(max(len(m.Ends), 1))
	width, height := (area.Max.X-area.Min.X)/count, min((area.Max.Y-area.Min.Y)/count, pixels(150))
	for to, end := range m.Ends {
		label := style(15, Ink, true)
		label.XAlign, label.YAlign = draw.XCenter, draw.YBottom
		area.FillText(label, vg.Point{X: area.Min.X + width*(vg.Length(to)+0.5), Y: area.Max.Y + pixels(8)},
			fitting(label, "to "+end, width-pixels(4)))
	}
	for from, row := range m.Cells {
		top := area.Max.Y - height*vg.Length(from)
		label := style(15, Ink, true)
		label.XAlign, label.YAlign = draw.XRight, draw.YCenter
		area.FillText(label, vg.Point{X: area.Min.X - pixels(14), Y: top - height/2},
			fitting(label, "from "+m.Ends[from], left-pixels(18)))
		for to, cell := range row {
			left := area.Min.X + width*vg.Length(to)
			drawCopyCell(area, cell, rectangle(left, top-height, left+width, top))
		}
	}
	return nil
}

func drawCopyCell(area draw.Canvas, cell CopyCell, box vg.Rectangle) {
	left, top, width, height := box.Min.X, box.Max.Y, box.Max.X-box.Min.X, box.Max.Y-box.Min.Y
	gap := pixels(3)
	if !cell.Known {
		area.SetColor(wash(CeilingGrey, 24))
		area.Fill(rectangle(left+gap, top-height+gap, left+width-gap, top-gap).Path())
		return
	}
	area.SetColor(wash(Writes, uint8(30+160*cell.Share)))
	area.Fill(rectangle(left+gap, top-height+gap, left+width-gap, top-gap).Path())
	ink := Ink
	if cell.Share > 0.75 {
		ink = Paper
	}
	size := 18.0
	if width < pixels(120) {
		size = 12
	}
	big, small := style(size, ink, true), style(size-3, ink, false)
	big.XAlign, big.YAlign, small.XAlign, small.YAlign = draw.XCenter, draw.YCenter, draw.XCenter, draw.YCenter
	middle := vg.Point{X: left + width/2, Y: top - height/2}
	area.FillText(big, vg.Point{X: middle.X, Y: middle.Y + pixels(16)}, fitting(big, cell.Text, width))
	area.FillText(small, vg.Point{X: middle.X, Y: middle.Y - pixels(8)}, fitting(small, cell.Time, width))
	if cell.Limit != "" {
		area.FillText(small, vg.Point{X: middle.X, Y: middle.Y - pixels(30)},
			fitting(small, "limit: "+cell.Limit, width))
	}
}
