package image

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"strings"
	"testing"

	"opengauge/present/figure"
)

func trace() figure.HeatTrace {
	made := figure.HeatTrace{
		Title: "ebb & flood", Subtitle: "sim", Seconds: 60, Unit: "MB/s", Colour: figure.Writes, Writes: true,
		Temperatures: []figure.Line{{Name: "drive"}},
		Ceiling:      &figure.Ceiling{Label: "ceiling of limpet", Value: 1100},
		Spans: []figure.Span{{From: 30, To: 60, Kind: "heat-throttle", Severity: "caution", Level: 400,
			LevelText: "400 MB/s"}},
	}
	for second := range 61 {
		made.Throughput.Points = append(made.Throughput.Points, figure.Point{Seconds: float64(second), Value: 1000})
		made.Temperatures[0].Points = append(made.Temperatures[0].Points,
			figure.Point{Seconds: float64(second), Value: 50})
	}
	return made
}

func TestPNGHasItsSizeAndColours(t *testing.T) {
	var out bytes.Buffer
	if err := Write(&out, PNG, trace()); err != nil {
		t.Fatal(err)
	}
	picture, err := png.Decode(&out)
	if err != nil {
		t.Fatal(err)
	}
	if size := picture.Bounds().Size(); size.X != Width || size.Y != Height {
		t.Errorf("the picture is %d by %d", size.X, size.Y)
	}
	for name, colour := range map[string]string{"paper": figure.Paper, "throughput": figure.Writes,
		"temperature": figure.Temperature, "ceiling": figure.CeilingGrey} {
		if count := countNear(picture, hex(colour)); count < 100 {
			t.Errorf("%d pixels of %s in the picture", count, name)
		}
	}
}

// countNear counts the pixels that are almost of a colour.
func countNear(picture image.Image, want color.NRGBA) int {
	near := func(a uint32, b uint8) bool { return max(int(a>>8), int(b))-min(int(a>>8), int(b)) < 24 }
	count := 0
	for y := range Height {
		for x := range Width {
			r, g, b, _ := picture.At(x, y).RGBA()
			if near(r, want.R) && near(g, want.G) && near(b, want.B) {
				count++
			}
		}
	}
	return count
}

func TestSVGHoldsItsWords(t *testing.T) {
	var out bytes.Buffer
	if err := Write(&out, SVG, trace()); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"<svg", "ebb &amp; flood", "heat-throttle", "400 MB/s", "ceiling of limpet",
		"drive, 50 °C at the end"} {
		if !strings.Contains(out.String(), want) {
			t.Errorf("%q is not in the SVG", want)
		}
	}
}

func TestATraceWithoutTemperaturesSaysSo(t *testing.T) {
	bare := trace()
	bare.Temperatures = nil
	var out bytes.Buffer
	if err := Write(&out, SVG, bare); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(out.String(), "no temperatures were recorded") {
		t.Error("nothing says that there are no temperatures")
	}
}

func TestFormatOf(t *testing.T) {
	for name, want := range map[string]Format{"a.png": PNG, "b.SVG": SVG} {
		if got, err := FormatOf(name); err != nil || got != want {
			t.Errorf("%s: %q, %v", name, got, err)
		}
	}
	if _, err := FormatOf("a.jpeg"); err == nil {
		t.Error("an unknown ending is accepted")
	}
}

func TestChainStripDrawsTheFlowThroughAllHops(t *testing.T) {
	strip := figure.ChainStrip{
		Title: "deck", Unit: "MB/s", Top: 4000, Flow: &figure.Flow{Value: 2000, Text: "2 000 MB/s", Label: "read"},
		Hops: []figure.StripHop{{Name: "a", Standard: "usb4 40g", Low: 2800, High: 3800, Capable: 3900},
			{Name: "b", Standard: "pcie 3.0 x4", Low: 3200, High: 3700, Mark: figure.MarkNarrowest}},
	}
	var out bytes.Buffer
	if err := Write(&out, PNG, strip); err != nil {
		t.Fatal(err)
	}
	picture, err := png.Decode(&out)
	if err != nil {
		t.Fatal(err)
	}
	// The surface of the flow is half-way up, and green from edge to edge.
	const stripTop, stripBottom, stripLeft, stripRight = 150, 170, 110, 40
	middle := stripTop + (Height-stripTop-stripBottom)/2
	for _, x := range []int{stripLeft + 5, Width / 2, Width - stripRight - 5} {
		found := false
		for y := middle - 3; y <= middle+3; y++ {
			r, g, b, _ := picture.At(x, y).RGBA()
			found = found || g > r && g > b
		}
		if !found {
			t.Errorf("no flow at column %d", x)
		}
	}
	out.Reset()
	if err := Write(&out, SVG, strip); err != nil || !strings.Contains(out.String(), "usb4 40g") {
		t.Errorf("as SVG: %v", err)
	}
}

func TestBarsInBothFormats(t *testing.T) {
	bars := figure.Bars{Title: "ebb & flood", Groups: []figure.BarGroup{
		{Label: "write", Better: "longer is better", Writes: true,
			Bars: []figure.Bar{{Name: "a", Value: 100, Text: "100 MB/s"}, {Name: "b", Value: 200, Low: 180, High: 220,
				Text: "200 MB/s"}}},
		{Label: "read", Better: "longer is better", Bars: []figure.Bar{{Name: "a", Value: 50, Text: "50 MB/s"}}},
	}}
	var raster, vector bytes.Buffer
	if err := Write(&raster, PNG, bars); err != nil {
		t.Fatal(err)
	}
	if err := Write(&vector, SVG, bars); err != nil {
		t.Fatal(err)
	}
	picture, err := png.Decode(&raster)
	if err != nil {
		t.Fatal(err)
	}
	if picture.Bounds().Dx() != Width || picture.Bounds().Dy() != Height {
		t.Errorf("the picture is %v", picture.Bounds())
	}
	for _, want := range []string{"ebb &amp; flood", "200 MB/s", "write (longer is better)"} {
		if !strings.Contains(vector.String(), want) {
			t.Errorf("%q is not in the drawing", want)
		}
	}
}

// hex reads "#rrggbb".
func hex(colour string) color.NRGBA {
	made := color.NRGBA{A: 255}
	_, _ = fmt.Sscanf(colour, "#%02x%02x%02x", &made.R, &made.G, &made.B)
	return made
}
