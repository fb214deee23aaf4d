// Package image draws figures: as image files, PNG or SVG, light or dark, and as the SVG
// that stands in a page. One drawing of a figure serves all of them.
//
// Its functions may be called by several goroutines at once.
package image

import (
	"fmt"
	"html"
	"image/png"
	"io"
	"path/filepath"
	"strings"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"

	"opengauge/present/figure"
	"opengauge/present/text"
)

// Size of an image in pixels.
const (
	Width  = 1280
	Height = 800
	// Stacked is the height of each of several figures on one sheet.
	Stacked = 680
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

// Sheet is the paper of a figure: its size in pixels, how many pixels of a PNG each of those
// becomes along each axis, and whether it is dark.
type Sheet struct {
	Width, Height float64
	Scale         float64
	Dark          bool
}

// Plain is the sheet of an image, and Large one as tall and as wide as the screen of a film.
var (
	Plain = Sheet{Width: Width, Height: Height, Scale: 1}
	Large = Sheet{Width: Width, Height: 720, Scale: 3} // 3840 by 2160
)

// compressor takes a third of the time of the standard library's default, for files of drawings
// that are a few percent larger.
var compressor = png.Encoder{CompressionLevel: png.BestSpeed}

// Write draws a figure with its head on a plain sheet and writes it in a format.
func Write(w io.Writer, format Format, f figure.Figure) error {
	sheet := Plain
	if sheets := figure.Sheets(f); sheets > 1 {
		sheet.Height = float64(sheets) * Stacked
	}
	return sheet.Write(w, format, f)
}

// Write draws a figure with its head and writes it in a format.
func (s Sheet) Write(w io.Writer, format Format, f figure.Figure) error {
	if format == SVG {
		v := newVector(figure.Pixels(s.Width), figure.Pixels(s.Height), hex)
		if err := s.draw(v, f, figure.DrawWhole); err != nil {
			return err
		}
		return v.write(w, "")
	}
	raster := vgimg.NewWith(vgimg.UseWH(figure.Pixels(s.Width), figure.Pixels(s.Height)),
		vgimg.UseDPI(int(figure.Resolution*s.Scale)))
	if err := s.draw(raster, f, figure.DrawWhole); err != nil {
		return err
	}
	return compressor.Encode(w, raster.Image())
}

// draw lays the paper and draws on it.
func (s Sheet) draw(on vg.CanvasSizer, f figure.Figure, how func(figure.Figure, draw.Canvas) error) error {
	if s.Dark {
		on = dark{on}
	}
	canvas := draw.New(on)
	figure.Lay(canvas)
	if err := how(f, canvas); err != nil {
		return fmt.Errorf("drawing %s: %w", f.Head().Title, err)
	}
	return nil
}

// Inline draws a figure without its head as an SVG element for a page. Its colours are variables
// of the page's style; class and label become attributes of the element.
func Inline(f figure.Figure, width, height float64, class, label string) (string, error) {
	v := newVector(figure.Pixels(width), figure.Pixels(height), variable)
	if err := f.Draw(draw.New(v)); err != nil {
		return "", fmt.Errorf("drawing %s: %w", f.Head().Title, err)
	}
	var out strings.Builder
	err := v.write(&out, fmt.Sprintf(` class="%s" role="img" aria-label="%s"`, class, html.EscapeString(label)))
	return out.String(), err
}

// Fonts are those that drawings are reckoned with, and others of the same width.
const Fonts = "Liberation Sans, Arial, Helvetica, sans-serif"

// write writes the element. XML has no place for control characters.
func (v *vector) write(w io.Writer, attributes string) error {
	_, err := fmt.Fprintf(w, "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 %s %s\" width=\"%[1]s\" "+
		"height=\"%[2]s\" font-family=\"%[3]s\"%[4]s>\n%[5]s</svg>\n", tenth(inPixels(v.width)), tenth(inPixels(v.height)),
		Fonts, attributes, text.Clean(v.out.String()))
	return err
}
