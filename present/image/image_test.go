package image

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"regexp"
	"strconv"
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
		if count := countNear(picture, toned(colour)); count < 100 {
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
	const stripTop, stripBottom, stripLeft, stripRight = figure.HeadHeight + 64, 130, 110, 40
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
func toned(colour string) color.NRGBA {
	made := color.NRGBA{A: 255}
	_, _ = fmt.Sscanf(colour, "#%02x%02x%02x", &made.R, &made.G, &made.B)
	return made
}

// On dark paper every colour is its counterpart, and the drawing is the same.
func TestADarkPictureHasTheDarkTones(t *testing.T) {
	sheet := Plain
	sheet.Dark = true
	var out bytes.Buffer
	if err := sheet.Write(&out, PNG, trace()); err != nil {
		t.Fatal(err)
	}
	picture, err := png.Decode(&out)
	if err != nil {
		t.Fatal(err)
	}
	for _, tone := range figure.Tones {
		if tone.Name != "paper" && tone.Name != "indigo" {
			continue
		}
		dark, light := countNear(picture, toned(tone.Dark)), countNear(picture, toned(tone.Light))
		if dark < 1000 || light > 100 {
			t.Errorf("%d pixels of the dark %s and %d of the light one", dark, tone.Name, light)
		}
	}
}

// A large picture has the pixels of a film's screen.
func TestALargePictureFillsAScreen(t *testing.T) {
	var out bytes.Buffer
	if err := Large.Write(&out, PNG, trace()); err != nil {
		t.Fatal(err)
	}
	config, err := png.DecodeConfig(&out)
	if err != nil || config.Width != 3840 || config.Height != 2160 {
		t.Errorf("it is %d by %d, %v", config.Width, config.Height, err)
	}
}

var polyline = regexp.MustCompile(`<path d="M([\d.]+) ([\d.]+)((?:l-?[\d.]+ -?[\d.]+){20,})" ` +
	`fill="none" stroke="var\(--indigo\)"`)

// A line of an inline drawing has the points that it was made from, as a browser adds up
// their steps: on the axes that the drawing has, each within a tenth of a pixel.
func TestInlineLinesEndWhereTheyShould(t *testing.T) {
	made := trace()
	for i := range made.Throughput.Points {
		made.Throughput.Points[i].Value = 500 + 400*math.Sin(float64(i))
	}
	svg, err := Inline(made, 1100, 500, "wide", `a "label"`)
	if err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(svg, `aria-label="a &#34;label&#34;"`) || strings.Contains(svg, figure.Writes) {
		t.Error("its label or its colours are not those of a page")
	}
	found := polyline.FindStringSubmatch(svg)
	if found == nil {
		t.Fatal("no line of throughput")
	}
	x, y := number(t, found[1]), number(t, found[2])
	xs, ys := []float64{x}, []float64{y}
	for _, step := range regexp.MustCompile(`l(-?[\d.]+) (-?[\d.]+)`).FindAllStringSubmatch(found[3], -1) {
		x, y = x+number(t, step[1]), y+number(t, step[2])
		xs, ys = append(xs, x), append(ys, y)
	}
	points := made.Throughput.Points
	if len(xs) != len(points) {
		t.Fatalf("%d points are drawn of %d", len(xs), len(points))
	}
	last := len(xs) - 1
	for i, p := range points {
		wantX := xs[0] + (xs[last]-xs[0])*p.Seconds/points[last].Seconds
		// The axis from two points, and all others on it.
		perUnit := (ys[1] - ys[0]) / (points[1].Value - points[0].Value)
		wantY := ys[0] + (p.Value-points[0].Value)*perUnit
		if !(math.Abs(xs[i]-wantX) < 0.15) || !(math.Abs(ys[i]-wantY) < 0.5) {
			t.Fatalf("point %d is at %.2f %.2f, want %.2f %.2f", i, xs[i], ys[i], wantX, wantY)
		}
	}
}

func number(t *testing.T, text string) float64 {
	t.Helper()
	value, err := strconv.ParseFloat(text, 64)
	if err != nil {
		t.Fatal(err)
	}
	return value
}
