// Package figure holds what each figure shows, independent of how it is drawn.
// The terminal, the page and the image renderers draw from it.
//
// Figures are values, made and drawn by any goroutine, several at once.
package figure

import (
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"opengauge/present/table"
)

// Figure is one thing drawn: its words, its table and its drawing. The terminal draws
// some in ways of its own; the page, the kit and images draw all of them from these.
type Figure interface {
	Head() Head
	// Summary says in words what it shows, for those who do not see it.
	Summary() string
	// Table has its figures; no rows where the drawing says all.
	Table() table.Table
	// Draw draws it on a sheet, without its head. It fits into any sheet of 400 pixels
	// and more, and leaves out what has no room.
	Draw(sheet draw.Canvas) error
}

// Tall is implemented by figures that know how much room they take.
type Tall interface {
	// Height is how tall a sheet of a width has to be, both in pixels.
	Height(width float64) float64
}

// Head is what stands over a figure.
type Head struct {
	// ID is its place in a page, Title what it is of, and Subtitle how to read it.
	ID, Title, Subtitle string
	// Message is what it says, in a sentence; empty where the title does.
	Message string
}

// Lines are the head as two lines: what it says, and of what and how to read it.
func (h Head) Lines() (message, below string) {
	if h.Message == "" {
		return h.Title, h.Subtitle
	}
	if h.Subtitle == "" {
		return h.Message, h.Title
	}
	return h.Message, h.Title + " · " + h.Subtitle
}

// HeadHeight is the room that a head takes on a sheet, in pixels.
const HeadHeight = 88

// DrawWhole draws a figure with its head over it.
func DrawWhole(f Figure, sheet draw.Canvas) error {
	if _, stacked := f.(stack); stacked { // each has its own
		return f.Draw(sheet)
	}
	message, below := f.Head().Lines()
	left, top, width := sheet.Min.X+pixels(margin), sheet.Max.Y, sheet.Max.X-sheet.Min.X-2*pixels(margin)
	title, subtitle := style(24, Ink, true), style(16, CeilingGrey, false)
	for title.Width(message) > width && title.Font.Size > pixels(16) {
		title.Font.Size -= pixels(1)
	}
	sheet.FillText(title, vg.Point{X: left, Y: top - pixels(44)}, fitting(title, message, width))
	sheet.FillText(subtitle, vg.Point{X: left, Y: top - pixels(72)}, fitting(subtitle, below, width))
	return f.Draw(draw.Crop(sheet, 0, 0, 0, -pixels(HeadHeight)))
}

// HeightOf is how tall a sheet of a width should be for a figure, both in pixels.
func HeightOf(f Figure, width float64) float64 {
	if tall, knows := f.(Tall); knows {
		return tall.Height(width)
	}
	const least = 330
	return max(width*0.42, least)
}
