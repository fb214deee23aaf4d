package figure

import (
	"fmt"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

const (
	// reasonsHeight is the foot of the sheet, in pixels, in which reasons stand.
	reasonsHeight = 225
	// namedHeight is the foot of a narrow one, in which only the names stand.
	namedHeight = 64
	// toldReasons of each explanation are written.
	toldReasons = 5
)

// Draw draws the recording with both explanations over it, and under it what speaks for
// each and against.
func (r Rivals) Draw(sheet draw.Canvas) error {
	p := plot.New()
	dress(p)
	p.X.Label.Text = "seconds since the pass began to count"
	p.Y.Label.Text = "throughput in " + r.Unit + " (higher is better)"
	p.X.Min, p.X.Max, p.Y.Min, p.Y.Max = 0, r.Seconds, 0, r.Top()
	recorded, err := plotter.NewLine(points(r.Recording))
	if err != nil {
		return err
	}
	recorded.Color, recorded.Width = paint(CeilingGrey), pixels(1.2)
	recorded.FillColor = wash(CeilingGrey, 24)
	p.Add(recorded)
	for _, each := range []struct {
		rival Rival
		mark
	}{{r.First, mark{r.colour(), nil}}, {r.Second, mark{Temperature, dashed}}} {
		line, err := plotter.NewLine(points(each.rival.Curve))
		if err != nil {
			return err
		}
		line.Color, line.Width, line.Dashes = paint(each.colour), pixels(3), each.dashes
		p.Add(line)
	}
	foot := pixels(reasonsHeight)
	if narrow(sheet) {
		foot = pixels(namedHeight)
	}
	area := draw.Crop(sheet, pixels(margin), -pixels(margin), foot, -pixels(topGap))
	p.Draw(area)
	width := (sheet.Max.X - sheet.Min.X - 2*pixels(margin)) / 2
	left := sheet.Min.X + pixels(margin)
	if narrow(sheet) {
		r.First.name(sheet, vg.Point{X: left, Y: sheet.Min.Y + pixels(34)}, mark{r.colour(), nil})
		r.Second.name(sheet, vg.Point{X: left, Y: sheet.Min.Y + pixels(10)}, mark{Temperature, dashed})
		return nil
	}
	r.First.draw(sheet, left, mark{r.colour(), nil})
	r.Second.draw(sheet, left+width, mark{Temperature, dashed})
	if r.Same() {
		small := style(13, CeilingGrey, false)
		sheet.FillText(small, vg.Point{X: left, Y: sheet.Min.Y + pixels(10)}, sameLine)
	}
	return nil
}

// mark is how a rival is drawn.
type mark struct {
	colour string
	dashes []vg.Length
}

// dashed is that of the less likely one.
var dashed = []vg.Length{pixels(9), pixels(5)}

func (r Rivals) colour() string {
	if r.Writes {
		return Writes
	}
	return Throughput
}

// draw writes an explanation and what moved its odds, from a place on.
func (r Rival) draw(sheet draw.Canvas, left vg.Length, m mark) {
	y := sheet.Min.Y + pixels(reasonsHeight-44)
	r.name(sheet, vg.Point{X: left, Y: y}, m)
	y -= pixels(22)
	sheet.FillText(style(13, CeilingGrey, false), vg.Point{X: left, Y: y}, clipped(r.Says, 84))
	number := style(13, Ink, true)
	number.XAlign = draw.XRight
	for i, reason := range r.Reasons {
		if i == toldReasons {
			break
		}
		y -= pixels(23)
		sheet.FillText(number, vg.Point{X: left + pixels(44), Y: y}, Signed(reason.LogOdds))
		sheet.FillText(style(13, Ink, false), vg.Point{X: left + pixels(54), Y: y}, clipped(reason.Says, 78))
	}
}

// name writes which explanation it is, with its line before it.
func (r Rival) name(sheet draw.Canvas, at vg.Point, m mark) {
	sheet.StrokeLine2(draw.LineStyle{Color: paint(m.colour), Width: pixels(3), Dashes: m.dashes}, at.X, at.Y+pixels(6),
		at.X+pixels(40), at.Y+pixels(6))
	words := style(16, m.colour, true)
	sheet.FillText(words, vg.Point{X: at.X + pixels(54), Y: at.Y},
		fitting(words, fmt.Sprintf("%s, %s", r.Name, percent(r.Share)), sheet.Max.X-at.X-pixels(54)))
}

// clipped is a text that is no longer than so many characters.
func clipped(text string, most int) string {
	runes := []rune(text)
	if len(runes) <= most {
		return text
	}
	return string(runes[:most-1]) + "…"
}
