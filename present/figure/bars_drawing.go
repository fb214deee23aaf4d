package figure

import (
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Draw draws groups of bars, each with a scale of its own from zero.
func (bars Bars) Draw(sheet draw.Canvas) error {
	heading(sheet, bars.Title, bars.Subtitle)
	area := draw.Crop(sheet, pixels(margin), -pixels(margin), pixels(ladderLow), -pixels(100))
	rows := 0
	longestName := 0
	for _, group := range bars.Groups {
		rows += len(group.Bars) + 1
		for _, bar := range group.Bars {
			longestName = max(longestName, len([]rune(bar.Name)))
		}
	}
	step := min((area.Max.Y-area.Min.Y)/vg.Length(max(rows, 1)), pixels(60))
	size := min(14, max(float64(step/pixels(1))*0.62, 7))
	left := area.Min.X + pixels(float64(longestName)*size*0.56+14)
	y := area.Max.Y
	for _, group := range bars.Groups {
		label := style(size+1, Ink, true)
		label.YAlign = draw.YCenter
		area.FillText(label, vg.Point{X: area.Min.X, Y: y - step/2}, group.Label+" ("+group.Better+")")
		y -= step
		for _, bar := range group.Bars {
			drawBar(area, group, bar, barRow{row{y, step, group.Top()}, left, size})
			y -= step
		}
	}
	return nil
}

// barRow is a row with a name before it, in letters of a size.
type barRow struct {
	row
	left vg.Length
	size float64
}

// drawBar draws one bar with its name before it and its text behind it.
func drawBar(area draw.Canvas, group BarGroup, bar Bar, at barRow) {
	y, step, left, size := at.y, at.step, at.left, at.size
	colour := Throughput
	if group.Writes {
		colour = Writes
	}
	const share = 0.5 // of the width; the rest is for texts
	width := (area.Max.X - left) * share
	length := width * vg.Length(bar.Value/group.Top())
	area.SetColor(wash(colour, 200))
	area.Fill(rectangle(left, y-step*0.82, left+length, y-step*0.18).Path())
	end := left + length
	if bar.High > 0 {
		low, high := left+width*vg.Length(bar.Low/group.Top()), left+width*vg.Length(bar.High/group.Top())
		ink := draw.LineStyle{Color: paint(Ink), Width: pixels(1.5)}
		area.StrokeLine2(ink, low, y-step/2, high, y-step/2)
		for _, x := range []vg.Length{low, high} {
			area.StrokeLine2(ink, x, y-step*0.65, x, y-step*0.35)
		}
		end = max(end, high)
	}
	name, text := style(size, Ink, false), style(size, Ink, true)
	name.YAlign, text.YAlign, name.XAlign = draw.YCenter, draw.YCenter, draw.XRight
	area.FillText(name, vg.Point{X: left - pixels(8), Y: y - step/2}, bar.Name)
	area.FillText(text, vg.Point{X: end + pixels(8), Y: y - step/2}, bar.Text)
}
