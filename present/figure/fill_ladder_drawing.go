package figure

import (
	"fmt"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Margins of the ladder on the sheet, in pixels.
const (
	ladderLeft  = 120
	ladderRight = 190
	ladderTop   = 34
	ladderLow   = 20
)

// Draw draws each load as a ladder of bars, emptiest on top.
func (ladder FillLadder) Draw(sheet draw.Canvas) error {
	small := style(14, CeilingGrey, false)
	sheet.FillText(small, vg.Point{X: sheet.Min.X + pixels(margin), Y: sheet.Max.Y - pixels(16)},
		fitting(small, ladder.Unit+" at each fill level, longer is better; at the right the share of what it is at the "+
			"emptiest", sheet.Max.X-sheet.Min.X-2*pixels(margin)))
	area := draw.Crop(sheet, pixels(ladderLeft), -pixels(ladderRight), pixels(ladderLow), -pixels(ladderTop))
	rows := 0
	for _, climb := range ladder.Loads {
		rows += len(climb.Rungs) + 1
	}
	step := (area.Max.Y - area.Min.Y) / vg.Length(max(rows, 1))
	y := area.Max.Y
	for _, climb := range ladder.Loads {
		label := style(15, Ink, true)
		label.YAlign = draw.YCenter
		area.FillText(label, vg.Point{X: area.Min.X, Y: y - step/2},
			fitting(label, climb.Label, sheet.Max.X-area.Min.X))
		y -= step
		top := 0.0
		for _, rung := range climb.Rungs {
			top = max(top, rung.Value)
		}
		for _, rung := range climb.Rungs {
			drawRung(area, climb, rung, row{y, step, top})
			y -= step
		}
	}
	return nil
}

// row is where a bar is drawn: from its upper edge down, and how much is the longest.
type row struct {
	y, step vg.Length
	top     float64
}

func drawRung(area draw.Canvas, climb Climb, rung Rung, at row) {
	y, step, top := at.y, at.step, at.top
	colour := Throughput
	if climb.Writes {
		colour = Writes
	}
	length := (area.Max.X - area.Min.X) * vg.Length(rung.Value/max(top, 1e-9))
	area.SetColor(wash(colour, 200))
	area.Fill(rectangle(area.Min.X, y-step*0.85, area.Min.X+length, y-step*0.15).Path())
	left, right := style(14, Ink, false), style(14, Ink, true)
	left.XAlign, left.YAlign, right.YAlign = draw.XRight, draw.YCenter, draw.YCenter
	area.FillText(left, vg.Point{X: area.Min.X - pixels(10), Y: y - step/2}, fmt.Sprintf("%.0f %% full", rung.Fill*100))
	area.FillText(right, vg.Point{X: area.Min.X + length + pixels(8), Y: y - step/2}, rung.Text)
	left.XAlign = draw.XRight
	area.FillText(left, vg.Point{X: area.Max.X + pixels(ladderRight-30), Y: y - step/2},
		fmt.Sprintf("%.0f %%", rung.Of*100))
}
