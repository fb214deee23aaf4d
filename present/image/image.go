// Package image draws figures as image files: PNG at 1280 by 800, or SVG.
package image

import (
	"fmt"
	"image/color"
	"io"
	"path/filepath"
	"strconv"
	"strings"

	stdfont "golang.org/x/image/font"
	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/font/liberation"
	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"

	"opengauge/present/figure"
)

// Size of an image in pixels, and the resolution that text sizes refer to.
const (
	Width  = 1280
	Height = 800
	dpi    = 96
)

// Format is how an image is written.
type Format string

// The formats, by the ending of the file's name.
const (
	PNG Format = ".png"
	SVG Format = ".svg"
)

// FormatOf gives the format that a file's name asks for.
func FormatOf(name string) (Format, error) {
	switch format := Format(strings.ToLower(filepath.Ext(name))); format {
	case PNG, SVG:
		return format, nil
	}
	return "", fmt.Errorf("%q is not the name of an image; end it in .png or .svg", name)
}

// canvas is a sheet of paper in a format.
type canvas struct {
	draw.Canvas
	writer io.WriterTo
}

func newCanvas(format Format) canvas {
	width, height := pixels(Width), pixels(Height)
	var sheet canvas
	if format == SVG {
		vector := vgsvg.New(width, height)
		sheet = canvas{Canvas: draw.New(vector), writer: vector}
	} else {
		raster := vgimg.NewWith(vgimg.UseWH(width, height), vgimg.UseDPI(dpi))
		sheet = canvas{Canvas: draw.New(raster), writer: vgimg.PngCanvas{Canvas: raster}}
	}
	sheet.SetColor(paint(figure.Paper))
	sheet.Fill(sheet.Rectangle.Path())
	return sheet
}

func pixels(count float64) vg.Length { return vg.Length(count) * vg.Inch / dpi }

// paint reads "#rrggbb".
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

// dress gives a plot the looks.
func dress(p *plot.Plot) {
	p.TextHandler = text.Plain{Fonts: fonts}
	p.BackgroundColor = nil
	for _, axis := range []*plot.Axis{&p.X, &p.Y} {
		axis.Color = paint(figure.CeilingGrey)
		axis.Label.TextStyle = style(16, figure.Ink, false)
		axis.Tick.Label.Color = paint(figure.Ink)
		axis.Tick.Label.Font = style(14, figure.Ink, false).Font
		axis.Tick.Label.Handler = p.TextHandler
		axis.Tick.Color = paint(figure.CeilingGrey)
	}
	p.Y.Label.TextStyle.XAlign, p.Y.Label.TextStyle.YAlign = draw.XCenter, draw.YBottom
	p.X.Label.TextStyle.XAlign, p.X.Label.TextStyle.YAlign = draw.XCenter, draw.YTop
	p.X.Tick.Label.XAlign, p.X.Tick.Label.YAlign = draw.XCenter, draw.YTop
	p.Y.Tick.Label.XAlign, p.Y.Tick.Label.YAlign = draw.XRight, draw.YCenter
}
