package figure

import (
	"image/color"
	"math"
	"strconv"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Margins of a depth map's grid on the sheet, in pixels.
const (
	mapLeft   = 130
	mapRight  = 40
	mapTop    = 40
	mapBottom = 76
)

// Draw draws block sizes by depths, largest blocks on top, each cell
// with its value, darker the closer it is to the ceiling.
func (m DepthMap) Draw(sheet draw.Canvas) error {
	left, right := pixels(mapLeft), pixels(mapRight)
	if narrow(sheet) {
		left, right = pixels(mapLeft*0.6), pixels(mapRight/4)
	}
	grid := draw.Crop(sheet, left, -right, pixels(mapBottom), -pixels(mapTop))
	width := (grid.Max.X - grid.Min.X) / vg.Length(len(m.Depths))
	height := (grid.Max.Y - grid.Min.Y) / vg.Length(len(m.Blocks))
	label := style(15, Ink, false)
	label.YAlign = draw.YCenter
	for row, block := range m.Blocks {
		y := grid.Min.Y + height*vg.Length(row)
		right := label
		right.XAlign = draw.XRight
		grid.FillText(right, vg.Point{X: grid.Min.X - pixels(12), Y: y + height/2}, block)
		for column := range m.Depths {
			corner := vg.Point{X: grid.Min.X + width*vg.Length(column), Y: y}
			mapCell(grid, m.Cells[row][column],
				vg.Rectangle{Min: corner, Max: vg.Point{X: corner.X + width, Y: y + height}})
		}
	}
	label.XAlign = draw.XCenter
	for column, depth := range m.Depths {
		grid.FillText(label, vg.Point{X: grid.Min.X + width*(vg.Length(column)+0.5), Y: grid.Min.Y - pixels(20)},
			strconv.Itoa(depth))
	}
	grid.FillText(label, vg.Point{X: (grid.Min.X + grid.Max.X) / 2, Y: grid.Min.Y - pixels(52)}, "queue depth")
	small := style(14, CeilingGrey, false)
	grid.FillText(small, vg.Point{X: sheet.Min.X + pixels(margin), Y: sheet.Max.Y - pixels(18)},
		fitting(small, "block size; "+m.Unit+" in each cell, higher is better; the shade is the share "+m.Of,
			sheet.Max.X-sheet.Min.X-2*pixels(margin)))
	if note := m.Note(); note != "" {
		small.XAlign = draw.XRight
		grid.FillText(small, vg.Point{X: grid.Max.X, Y: grid.Min.Y - pixels(52)}, note)
	}
	return nil
}

func mapCell(grid draw.Canvas, cell Cell, area vg.Rectangle) {
	grid.SetColor(paint(Paper))
	if cell.Known {
		grid.SetColor(shade(cell.Share))
	}
	inset := vg.Rectangle{Min: vg.Point{X: area.Min.X + 1, Y: area.Min.Y + 1},
		Max: vg.Point{X: area.Max.X - 1, Y: area.Max.Y - 1}}
	grid.Fill(inset.Path())
	if !cell.Known {
		return
	}
	text := style(15, Ink, false)
	if cell.Share > 0.75 { // light on dark
		text = style(15, Paper, false)
	}
	if text.Width(cell.Text) > area.Max.X-area.Min.X-pixels(6) {
		text.Font.Size = pixels(11)
	}
	text.XAlign, text.YAlign = draw.XCenter, draw.YCenter
	grid.FillText(text, vg.Point{X: (area.Min.X + area.Max.X) / 2, Y: (area.Min.Y + area.Max.Y) / 2}, cell.Text)
}

// shade is the colour of throughput, thin for a share of 0 and full for 1.
func shade(share float64) color.NRGBA {
	const least = 22
	return wash(Throughput, uint8(math.Round(least+(255-least)*math.Max(0, math.Min(share, 1)))))
}
