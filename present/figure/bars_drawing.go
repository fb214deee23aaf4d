package figure

import (
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Rows of bars, in pixels.
const (
	barRowHeight  = 34
	barRowNarrow  = 46 // the name stands over the bar
	barGroupAbove = 30
	barsMargin    = 12
)

// Height is what its rows take.
func (bars Bars) Height(width float64) float64 {
	row := float64(barRowHeight)
	if width < narrowBelow {
		row = barRowNarrow
	}
	tall := 2.0 * barsMargin
	for _, group := range bars.Groups {
		tall += row*float64(len(group.Bars)) + barGroupAbove
	}
	return tall
}

// Draw draws groups of bars, each with a scale of its own from zero.
func (bars Bars) Draw(sheet draw.Canvas) error {
	area := draw.Crop(sheet, pixels(margin), -pixels(margin), pixels(barsMargin), -pixels(barsMargin))
	width := float64((sheet.Max.X - sheet.Min.X) / pixels(1))
	// Rows are as tall as they like to be, less where there is no room, and a little more
	// where there is much.
	scale := min(float64((area.Max.Y-area.Min.Y)/pixels(1))/(bars.Height(width)-2*barsMargin), 1.5)
	size := max(min(14*scale, 17), 7)
	name := style(size, Ink, true)
	longest := vg.Length(0)
	for _, group := range bars.Groups {
		for _, bar := range group.Bars {
			longest = max(longest, name.Width(bar.Name))
		}
	}
	at := barRow{step: pixels(barRowHeight * scale), size: size, above: narrow(sheet)}
	at.left = area.Min.X + min(longest, (area.Max.X-area.Min.X)*0.3) + pixels(10)
	if at.above {
		at.step, at.left = pixels(barRowNarrow*scale), area.Min.X
	}
	y := area.Max.Y
	for _, group := range bars.Groups {
		label := style(size+1, Ink, true)
		label.YAlign = draw.YCenter
		head := pixels(barGroupAbove * scale)
		area.FillText(label, vg.Point{X: area.Min.X, Y: y - head/2},
			fitting(label, group.Label+" ("+group.Better+")", area.Max.X-area.Min.X))
		y -= head
		for _, bar := range group.Bars {
			at.y = y
			drawBar(area, group, bar, at)
			y -= at.step
		}
	}
	return nil
}

// barRow is where a bar is drawn: from its upper edge down, with letters of a size, and its
// name before it or above.
type barRow struct {
	y, step, left vg.Length
	size          float64
	above         bool
}

// drawBar draws one bar with its name and its text.
func drawBar(area draw.Canvas, group BarGroup, bar Bar, at barRow) {
	name, text := style(at.size, Ink, bar.Named), style(at.size, Ink, true)
	name.YAlign, text.YAlign = draw.YCenter, draw.YCenter
	share := vg.Length(0.5) // of the width; the rest is for texts
	if at.above {
		share = 0.56
		name.YAlign = draw.YTop
		area.FillText(name, vg.Point{X: at.left, Y: at.y - pixels(2)}, fittingName(name, bar.Name, area.Max.X-at.left))
		at.y -= at.step * 0.42
		at.step *= 0.58
	} else {
		name.XAlign = draw.XRight
		area.FillText(name, vg.Point{X: at.left - pixels(8), Y: at.y - at.step/2},
			fittingName(name, bar.Name, at.left-area.Min.X-pixels(8)))
	}
	width := (area.Max.X - at.left) * share
	along := func(value float64) vg.Length { return at.left + width*vg.Length(value/group.Top()) }
	end := along(bar.Value)
	box := rectangle(at.left, at.y-at.step*0.78, end, at.y-at.step*0.22)
	colour := Throughput
	if group.Writes {
		colour = Writes
	}
	if bar.Out {
		hatch(area, box)
	} else {
		area.SetColor(wash(colour, 200))
		area.Fill(box.Path())
	}
	middle := at.y - at.step/2
	for _, dot := range bar.Dots {
		ring := draw.GlyphStyle{Color: paint(Ink), Radius: pixels(3.2), Shape: draw.RingGlyph{}}
		area.DrawGlyph(ring, vg.Point{X: along(dot), Y: middle})
		end = max(end, along(dot))
	}
	if bar.High > 0 {
		ink := draw.LineStyle{Color: paint(Ink), Width: pixels(1.5)}
		low, high := along(bar.Low), along(bar.High)
		area.StrokeLine2(ink, low, middle, high, middle)
		for _, x := range []vg.Length{low, high} {
			area.StrokeLine2(ink, x, middle-at.step*0.15, x, middle+at.step*0.15)
		}
		end = max(end, high)
	}
	x := end + pixels(8)
	area.FillText(text, vg.Point{X: x, Y: middle}, fitting(text, bar.Text, area.Max.X-x))
}
