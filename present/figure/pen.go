package figure

import (
	"image/color"
	"strconv"
	"strings"

	stdfont "golang.org/x/image/font"
	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/font/liberation"
	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Resolution is what sizes in pixels refer to, in pixels an inch.
const Resolution = 96

// Pixels is a length on a drawing.
func Pixels(count float64) vg.Length { return vg.Length(count) * vg.Inch / Resolution }

func pixels(count float64) vg.Length { return Pixels(count) }

// Lay lays the paper that a figure is drawn on.
func Lay(sheet draw.Canvas) {
	sheet.SetColor(paint(Paper))
	sheet.Fill(sheet.Rectangle.Path())
}

// Paint reads "#rrggbb".
func Paint(colour string) color.NRGBA { return paint(colour) }

func paint(colour string) color.NRGBA {
	value, _ := strconv.ParseUint(strings.TrimPrefix(colour, "#"), 16, 32)
	return color.NRGBA{R: uint8(value >> 16), G: uint8(value >> 8), B: uint8(value), A: 255}
}

// wash is a colour thinned for areas.
func wash(colour string, alpha uint8) color.NRGBA {
	thin := paint(colour)
	thin.A = alpha
	return thin
}

// fonts are the typefaces that ship inside the program.
var fonts = font.NewCache(liberation.Collection())

func style(size float64, colour string, weight bool) text.Style {
	face := font.Font{Typeface: "Liberation", Variant: "Sans", Size: pixels(size)}
	if weight {
		face.Weight = stdfont.WeightBold
	}
	return text.Style{Color: paint(colour), Font: face, Handler: text.Plain{Fonts: fonts}}
}

// fitting is a text that is no wider than it may be: its end is left out.
func fitting(in text.Style, words string, width vg.Length) string {
	if in.Width(words) <= width {
		return words
	}
	runes := []rune(words)
	for len(runes) > 1 && in.Width(string(runes)+"…") > width {
		runes = runes[:len(runes)-1]
	}
	return strings.TrimRight(string(runes), " ,·") + "…"
}

// fittingName is a name that is no wider than it may be: its middle is left out, as its end
// says as much as its beginning.
func fittingName(in text.Style, name string, width vg.Length) string {
	if in.Width(name) <= width {
		return name
	}
	runes := []rune(name)
	for left := len(runes) - 1; left > 2; left-- {
		short := string(runes[:left/2]) + "…" + string(runes[len(runes)-(left+1)/2:])
		if in.Width(short) <= width {
			return short
		}
	}
	return "…"
}

// narrowBelow is the width, in pixels, below which a sheet is one of a small screen.
const narrowBelow = 620

func narrow(sheet draw.Canvas) bool { return sheet.Max.X-sheet.Min.X < pixels(narrowBelow) }

// dress gives a plot the looks.
func dress(p *plot.Plot) {
	p.TextHandler = text.Plain{Fonts: fonts}
	p.BackgroundColor = nil
	for _, axis := range []*plot.Axis{&p.X, &p.Y} {
		axis.Color = paint(CeilingGrey)
		axis.Label.TextStyle = style(16, Ink, false)
		axis.Tick.Label.Color = paint(Ink)
		axis.Tick.Label.Font = style(14, Ink, false).Font
		axis.Tick.Label.Handler = p.TextHandler
		axis.Tick.Color = paint(CeilingGrey)
	}
	p.Y.Label.TextStyle.XAlign, p.Y.Label.TextStyle.YAlign = draw.XCenter, draw.YBottom
	p.X.Label.TextStyle.XAlign, p.X.Label.TextStyle.YAlign = draw.XCenter, draw.YTop
	p.X.Tick.Label.XAlign, p.X.Tick.Label.YAlign = draw.XCenter, draw.YTop
	p.Y.Tick.Label.XAlign, p.Y.Tick.Label.YAlign = draw.XRight, draw.YCenter
}
