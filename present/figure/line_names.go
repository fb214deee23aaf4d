package figure

import (
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Colours and marks of lines, so that each is told by more than its colour.
var (
	lineColours = []string{Throughput, Temperature, Writes, Caution, Ink, Fault}
	lineMarks   = []draw.GlyphDrawer{draw.CircleGlyph{}, draw.SquareGlyph{}, draw.TriangleGlyph{}, draw.PyramidGlyph{},
		draw.CrossGlyph{}, draw.RingGlyph{}}
)

// namesRight is room for names at the ends of lines.
func namesRight(sheet draw.Canvas) vg.Length {
	if narrow(sheet) {
		return pixels(120)
	}
	return pixels(230)
}

// lineNames writes the names of lines at their ends, none over another.
type lineNames struct {
	sheet draw.Canvas
	taken []vg.Length
}

// write names a line that ends at a height, with a detail under its name.
func (n *lineNames) write(end vg.Length, number int, name, detail string) {
	y := free(end, n.taken)
	n.taken = append(n.taken, y)
	room := namesRight(n.sheet) - pixels(14)
	x := n.sheet.Max.X - room
	large, small := style(15, lineColours[number%len(lineColours)], true), style(12, CeilingGrey, false)
	if narrow(n.sheet) {
		large, small = style(12, lineColours[number%len(lineColours)], true), style(10, CeilingGrey, false)
	}
	large.YAlign, small.YAlign = draw.YCenter, draw.YCenter
	n.sheet.FillText(large, vg.Point{X: x, Y: y}, fittingName(large, name, room-pixels(4)))
	n.sheet.FillText(small, vg.Point{X: x, Y: y - pixels(17)}, fitting(small, detail, room-pixels(4)))
}

// free is a height near the one that is wanted at which no label is yet.
func free(wanted vg.Length, taken []vg.Length) vg.Length {
	const height = 40
	for {
		clear := true
		for _, other := range taken {
			if wanted < other+pixels(height) && wanted > other-pixels(height) {
				wanted, clear = other-pixels(height), false
			}
		}
		if clear {
			return wanted
		}
	}
}
