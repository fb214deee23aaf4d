// Package image writes figures as image files: PNG at 1280 by 800, or SVG.
//
// Its functions may be called by several goroutines at once.
package image

import (
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"

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

// Write draws a figure on a sheet of paper and writes it in a format.
func Write(w io.Writer, format Format, f figure.Figure) error {
	width, height := figure.Pixels(Width), figure.Pixels(Height)
	if sheets := figure.Sheets(f); sheets > 1 {
		height = figure.Pixels(float64(sheets) * Stacked)
	}
	var sheet vg.CanvasSizer
	var writer io.WriterTo
	if format == SVG {
		vector := vgsvg.New(width, height)
		sheet, writer = vector, vector
	} else {
		raster := vgimg.NewWith(vgimg.UseWH(width, height), vgimg.UseDPI(figure.Resolution))
		sheet, writer = raster, vgimg.PngCanvas{Canvas: raster}
	}
	canvas := draw.New(sheet)
	figure.Lay(canvas)
	if err := f.Draw(canvas); err != nil {
		return fmt.Errorf("drawing %s: %w", f.Head().Title, err)
	}
	if format != SVG {
		_, err := writer.WriteTo(w)
		return err
	}
	var out strings.Builder
	if _, err := writer.WriteTo(&out); err != nil {
		return err
	}
	_, err := io.WriteString(w, text.Clean(out.String())) // XML has no place for control characters
	return err
}
