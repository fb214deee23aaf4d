package figure

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"opengauge/core/unit"
)

// Parts of the sheet in pixels: a gap at its top, throughput, temperatures.
const (
	topGap     = 14
	heatHeight = 190
	// tallHeat is what temperatures have where they are many.
	tallHeat = 290
	margin   = 24
	// powerHeight is the lane of power with its foot, and powerFoot what of that is the foot.
	powerHeight, powerFoot = 96, 26
	// leastFlow is what throughput has at the least where power is drawn too.
	leastFlow = 220
	// sensorsRight is room for the names of many sensors, and manySensors is how many.
	sensorsRight = 150
	manySensors  = 2
)

// Height is more where many sensors are to be told apart.
func (trace HeatTrace) Height(width float64) float64 {
	return max(width*0.3, 280) + float64(trace.heatHeight()+trace.powerHeight())
}

// powerHeight is the room of the lane of power, where there is one.
func (trace HeatTrace) powerHeight() int {
	if len(trace.Power) == 0 {
		return 0
	}
	return powerHeight
}

func (trace HeatTrace) heatHeight() int {
	if len(trace.Temperatures) > manySensors {
		return tallHeat
	}
	return heatHeight
}

// Draw draws throughput over time, temperatures below on the same axis,
// and findings as marked spans.
func (trace HeatTrace) Draw(sheet draw.Canvas) error {
	flow, err := flowPlot(trace)
	if err != nil {
		return err
	}
	heat, err := heatPlot(trace)
	if err != nil {
		return err
	}
	right := pixels(margin)
	if len(trace.Temperatures) > manySensors {
		right = pixels(sensorsRight)
	}
	power := trace.powerHeight()
	if height := float64((sheet.Max.Y - sheet.Min.Y) / pixels(1)); height < float64(leastFlow+trace.heatHeight()+power) {
		power = 0 // on a low sheet throughput has the room
	}
	area := draw.Crop(sheet, pixels(margin), -right, pixels(float64(margin+power)), -pixels(topGap))
	split := pixels(float64(trace.heatHeight())) - pixels(topGap)
	canvases := plot.Align([][]*plot.Plot{{flow}, {heat}}, draw.Tiles{Rows: 2, Cols: 1}, area)
	upper := draw.Crop(canvases[0][0], 0, 0, split-(area.Max.Y-area.Min.Y)/2, 0)
	lower := draw.Crop(canvases[1][0], 0, 0, 0, split-(area.Max.Y-area.Min.Y)/2-pixels(margin))
	flow.Draw(upper)
	heat.Draw(lower)
	labelSpans(flow.DataCanvas(upper), trace)
	nameSensors(sheet, heat, heat.DataCanvas(lower), trace)
	if power > 0 {
		drawPower(sheet, heat.DataCanvas(lower), trace)
	}
	return nil
}

// drawPower draws what meters said in a lane below, as wide as the one over it.
func drawPower(sheet draw.Canvas, above draw.Canvas, trace HeatTrace) {
	top := 0.0
	for _, line := range trace.Power {
		top = max(top, highest(line))
	}
	foot := sheet.Min.Y + pixels(powerFoot)
	box := rectangle(above.Min.X, foot, above.Max.X, foot+pixels(powerHeight-powerFoot))
	frame := panelFrame{seconds: max(trace.Seconds, 1e-9), top: Top(max(top, 0.1) * 1.05), unit: "W"}
	frame.lane(sheet, box, frame.top, "W")
	words, names := style(12, Ink, false), []string{}
	for i, line := range trace.Power {
		colour := lineColours[(i+3)%len(lineColours)]
		frame.line(sheet, box, line, frame.top, draw.LineStyle{Color: paint(colour), Width: pixels(1.6),
			Dashes: lineDashes[i%len(lineDashes)]})
		names = append(names, fmt.Sprintf("%s, up to %s W", line.Name, unit.Digits(highest(line), 3)))
	}
	words.XAlign, words.YAlign = draw.XRight, draw.YTop
	sheet.FillText(words, vg.Point{X: box.Max.X - pixels(6), Y: box.Min.Y - pixels(6)},
		fitting(words, "power: "+strings.Join(names, "; "), box.Max.X-box.Min.X))
}

// flowPlot is the upper plot: throughput, from zero.
func flowPlot(trace HeatTrace) (*plot.Plot, error) {
	p := plot.New()
	dress(p)
	p.Y.Label.Text = trace.Unit + " (higher is better)"
	p.Y.Min, p.Y.Max = 0, trace.ThroughputTop()
	p.X.Min, p.X.Max = 0, trace.Seconds
	if err := shadeSpans(p, trace); err != nil {
		return nil, err
	}
	line, err := plotter.NewLine(points(trace.Throughput))
	if err != nil {
		return nil, err
	}
	line.Color, line.Width = paint(trace.Colour), pixels(2)
	line.FillColor = wash(trace.Colour, 36)
	p.Add(line)
	if trace.ShowsCeiling() {
		if err := addCeiling(p, trace); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// heatPlot is the lower plot: temperatures, from zero.
func heatPlot(trace HeatTrace) (*plot.Plot, error) {
	p := plot.New()
	dress(p)
	p.X.Label.Text = "seconds since the pass began to count"
	p.Y.Label.Text = "°C"
	p.Y.Min, p.Y.Max = 0, trace.TemperatureTop()
	p.X.Min, p.X.Max = 0, trace.Seconds
	if err := shadeSpans(p, trace); err != nil {
		return nil, err
	}
	if len(trace.Temperatures) == 0 {
		return p, addLabel(p, trace.Seconds/2, p.Y.Max/2, label{"no temperatures were recorded", CeilingGrey, draw.XCenter})
	}
	for i, temperature := range trace.Temperatures {
		line, err := plotter.NewLine(points(temperature))
		if err != nil {
			return nil, err
		}
		line.Color, line.Width = paint(trace.sensorColour(i)), pixels(2)
		line.Dashes = lineDashes[i%len(lineDashes)]
		p.Add(line)
	}
	return p, addFan(p, trace)
}

// sensorColour is that of temperatures, and another one for each of many.
func (trace HeatTrace) sensorColour(number int) string {
	if len(trace.Temperatures) <= manySensors {
		return Temperature
	}
	return lineColours[(number+1)%len(lineColours)]
}

// nameSensors writes at the end of each line which sensor it is, none over another: over
// and under the lines where they are few, beside the plot where they are many.
func nameSensors(sheet draw.Canvas, p *plot.Plot, data draw.Canvas, trace HeatTrace) {
	_, ys := p.Transforms(&data)
	many := len(trace.Temperatures) > manySensors
	size := 14.0
	if many {
		size = 12
	}
	order := make([]int, len(trace.Temperatures))
	for i := range order {
		order[i] = i
	}
	last := func(i int) float64 {
		points := trace.Temperatures[i].Points
		return points[len(points)-1].Value
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(last(b), last(a)) })
	below := data.Max.Y + pixels(size)
	for place, i := range order {
		face := style(size, trace.sensorColour(i), true)
		face.YAlign = draw.YCenter
		words := fmt.Sprintf("%s, %.0f °C at the end", trace.Temperatures[i].Name, last(i))
		y := ys(last(i))
		if many {
			y = min(y, below-pixels(size+3))
			below = y
			words = fmt.Sprintf("%.0f °C %s", last(i), trace.Temperatures[i].Name)
			sheet.FillText(face, vg.Point{X: data.Max.X + pixels(8), Y: y},
				fitting(face, words, sheet.Max.X-data.Max.X-pixels(12)))
			continue
		}
		face.XAlign = draw.XRight
		y += pixels(12)
		if place > 0 { // sensors of one drive run close together
			y -= pixels(24)
		}
		sheet.FillText(face, vg.Point{X: data.Max.X - pixels(6), Y: y}, words)
	}
}

// addFan draws when a fan ran as a bar along the foot of the plot.
func addFan(p *plot.Plot, trace HeatTrace) error {
	foot := p.Y.Max * 0.04
	for i, stretch := range trace.Fan {
		line, err := plotter.NewLine(plotter.XYs{{X: stretch.From, Y: foot}, {X: stretch.To, Y: foot}})
		if err != nil {
			return err
		}
		line.Color, line.Width = paint(CeilingGrey), pixels(8)
		p.Add(line)
		if i > 0 {
			continue
		}
		if err := addLabel(p, stretch.From, foot+p.Y.Max*0.05, label{"fan runs", CeilingGrey, draw.XLeft}); err != nil {
			return err
		}
	}
	return nil
}

func points(line Line) plotter.XYs {
	xys := make(plotter.XYs, len(line.Points))
	for i, point := range line.Points {
		xys[i] = plotter.XY{X: point.Seconds, Y: point.Value}
	}
	return xys
}

func addCeiling(p *plot.Plot, trace HeatTrace) error {
	value := trace.Ceiling.Value
	line, err := plotter.NewLine(plotter.XYs{{X: 0, Y: value}, {X: trace.Seconds, Y: value}})
	if err != nil {
		return err
	}
	line.Color, line.Width = paint(CeilingGrey), pixels(1.5)
	line.Dashes = []vg.Length{pixels(8), pixels(6)}
	p.Add(line)
	return addLabel(p, trace.Seconds*0.995, value+p.Y.Max*0.015, label{trace.Ceiling.Label, CeilingGrey, draw.XRight})
}

// label is a text in a plot.
type label struct {
	text, colour string
	align        draw.XAlignment
}

func addLabel(p *plot.Plot, x, y float64, l label) error {
	labels, err := plotter.NewLabels(plotter.XYLabels{XYs: plotter.XYs{{X: x, Y: y}}, Labels: []string{l.text}})
	if err != nil {
		return err
	}
	labels.TextStyle[0] = style(14, l.colour, false)
	labels.TextStyle[0].XAlign = l.align
	p.Add(labels)
	return nil
}

// shadeSpans lays a wash over the stretches that findings mark.
func shadeSpans(p *plot.Plot, trace HeatTrace) error {
	for _, span := range trace.Spans {
		top := p.Y.Max
		area, err := plotter.NewPolygon(plotter.XYs{
			{X: span.From, Y: 0}, {X: span.To, Y: 0}, {X: span.To, Y: top}, {X: span.From, Y: top},
		})
		if err != nil {
			return err
		}
		area.Color = wash(SeverityColour(span.Severity), 26)
		area.Width = 0
		p.Add(area)
	}
	return nil
}

// labelSpans writes each kind of finding once, at its first stretch, and the
// level of throughput over every stretch that has room for it.
func labelSpans(data draw.Canvas, trace HeatTrace) {
	top := trace.ThroughputTop()
	named := map[string]bool{}
	for _, span := range trace.Spans {
		x := data.Min.X + vg.Length(span.From/trace.Seconds)*(data.Max.X-data.Min.X) + pixels(6)
		colour := SeverityColour(span.Severity)
		if span.To-span.From > trace.Seconds/12 {
			y := data.Min.Y + vg.Length(span.Level/top)*(data.Max.Y-data.Min.Y) + pixels(8)
			data.FillText(style(14, Ink, false), vg.Point{X: x, Y: y}, span.LevelText)
		}
		if named[span.Kind] {
			continue
		}
		named[span.Kind] = true
		y := data.Min.Y + pixels(float64(12+20*(len(named)-1)))
		data.FillText(style(15, colour, true), vg.Point{X: x, Y: y}, SeverityMark(span.Severity)+" "+span.Kind)
	}
}
