package term

import (
	"fmt"
	"math"
	"strings"

	"charm.land/lipgloss/v2"

	"opengauge/core/unit"
	"opengauge/present/figure"
)

// The trace's parts in rows, and the width of the axis beside them.
const (
	flowRows  = 8
	heatRows  = 5
	axisWidth = 9
)

// eighths are blocks that fill a cell from its bottom.
var eighths = []rune(" ▁▂▃▄▅▆▇█")

// quarters are dots at four heights of a cell, from its bottom.
var quarters = []rune("⣀⠤⠒⠉")

// HeatTrace draws throughput over time, temperatures below on the same axis,
// and findings as marked spans.
func (s *Screen) HeatTrace(trace figure.HeatTrace) {
	columns := max(min(s.Width, plainWidth)-axisWidth-2, 20)
	if len(trace.Throughput.Points) < 2 {
		return
	}
	s.Heading(trace.Title)
	s.faintly(trace.Subtitle)
	s.flow(trace, columns)
	s.heat(trace, columns)
	s.power(trace, columns)
	s.fan(trace, columns)
	s.timeAxis(trace, columns)
	s.spans(trace, columns)
}

// flow draws the throughput as an area from zero.
func (s *Screen) flow(trace figure.HeatTrace, columns int) {
	top := trace.ThroughputTop()
	// A column shows the slowest of its samples, so that no dip is lost.
	values := resample(trace.Throughput.Points, trace.Seconds, columns, math.Min)
	ceilingRow := -1
	if trace.ShowsCeiling() {
		ceilingRow = int(trace.Ceiling.Value / top * flowRows)
	}
	style := flowStyle(trace.Writes)
	s.Printf("%*s  %s\n", axisWidth, trace.Unit, faint.Render("higher is better"))
	for row := flowRows - 1; row >= 0; row-- {
		var line strings.Builder
		for _, value := range values {
			filled := value/top*flowRows - float64(row)
			line.WriteRune(eighths[int(math.Round(8*min(max(filled, 0), 1)))])
		}
		text := line.String()
		if row == ceilingRow {
			text = strings.ReplaceAll(text, " ", "┄")
		}
		s.Printf("%s%s\n", axis(row, flowRows, top), style.Render(text))
	}
	if ceilingRow >= 0 {
		s.Println(strings.Repeat(" ", axisWidth+2) + faint.Render("┄ "+Clean(trace.Ceiling.Label)))
	}
}

// severalSign is where several sensors are as warm as each other, as far as can be drawn.
const severalSign = '◆'

// sensorSigns are the signs of sensors, in their order; each is another letter in ASCII too.
const sensorSigns = "•×+∘▴▾◂▸□△"

// heat draws each temperature as a line of its own sign.
func (s *Screen) heat(trace figure.HeatTrace, columns int) {
	if len(trace.Temperatures) == 0 {
		s.Println(strings.Repeat(" ", axisWidth+2) + faint.Render("no temperatures were recorded"))
		return
	}
	signs := []rune(sensorSigns)
	top := trace.TemperatureTop()
	grid := make([][]rune, heatRows)
	for row := range grid {
		grid[row] = []rune(strings.Repeat(" ", columns))
	}
	names, together := make([]string, 0, len(trace.Temperatures)), false
	for i, line := range trace.Temperatures {
		sign := signs[i%len(signs)]
		names = append(names, string(sign)+" "+line.Name)
		for column, value := range resample(line.Points, trace.Seconds, columns, math.Max) {
			height := min(value/top*heatRows, heatRows-0.01)
			if height <= 0 {
				continue
			}
			if len(trace.Temperatures) == 1 { // alone, it can be drawn finer
				sign = quarters[int(height*4)%4]
			}
			at := &grid[int(height)][column]
			if *at != ' ' && *at != sign {
				sign, together = severalSign, true
			}
			*at, sign = sign, signs[i%len(signs)]
		}
	}
	if together {
		names = append(names, string(severalSign)+" several together")
	}
	s.Printf("%*s  %s\n", axisWidth, "°C", warm.Render(Clean(strings.Join(names, "   "))))
	for row := heatRows - 1; row >= 0; row-- {
		s.Printf("%s%s\n", axis(row, heatRows, top), warm.Render(string(grid[row])))
	}
}

// powerRows is the height of the lane of power.
const powerRows = 2

// power draws the first meter's readings as an area from zero.
func (s *Screen) power(trace figure.HeatTrace, columns int) {
	if len(trace.Power) == 0 {
		return
	}
	line, most := trace.Power[0], 0.0
	for _, point := range line.Points {
		most = max(most, point.Value)
	}
	top := figure.Top(max(most, 0.1) * 1.05)
	values := resample(line.Points, trace.Seconds, columns, math.Max)
	s.Printf("%*s  %s\n", axisWidth, "W", faint.Render(Clean(line.Name)+", up to "+unit.Digits(most, 3)+" W"))
	for row := powerRows - 1; row >= 0; row-- {
		var text strings.Builder
		for _, value := range values {
			text.WriteRune(eighths[int(math.Round(8*min(max(value/top*powerRows-float64(row), 0), 1)))])
		}
		s.Printf("%s%s\n", axis(row, powerRows, top), text.String())
	}
}

// fan draws when a fan ran, where that is known.
func (s *Screen) fan(trace figure.HeatTrace, columns int) {
	if !trace.FanKnown {
		return
	}
	row := []rune(strings.Repeat("·", columns))
	for _, stretch := range trace.Fan {
		for i := column(stretch.From, trace.Seconds, columns); i <= column(stretch.To*(1-1e-9), trace.Seconds,
			columns); i++ {
			row[i] = '▄'
		}
	}
	s.Printf("%*s %s%s\n", axisWidth, "fan", faint.Render("│"), string(row))
}

// axis returns the label to the left of a row: the top value, the middle, or spaces.
func axis(row, rows int, top float64) string {
	label := ""
	switch row {
	case rows - 1:
		label = unit.Digits(top, 4)
	case 0:
		label = "0"
	}
	return fmt.Sprintf("%*s %s", axisWidth, label, faint.Render("│"))
}

func (s *Screen) timeAxis(trace figure.HeatTrace, columns int) {
	s.Println(strings.Repeat(" ", axisWidth+1) + faint.Render("└"+strings.Repeat("─", columns)))
	middle, end := fmt.Sprintf("%.0f", trace.Seconds/2), fmt.Sprintf("%.0f s", trace.Seconds)
	line := []rune(strings.Repeat(" ", columns+1))
	place := func(text string, at int) { copy(line[max(min(at, len(line)-len(text)), 0):], []rune(text)) }
	place("0", 0)
	place(middle, columns/2-len(middle)/2)
	place(end, columns)
	s.Println(strings.Repeat(" ", axisWidth+1) + string(line))
}

// spans draws a row for each kind of finding, with its word.
func (s *Screen) spans(trace figure.HeatTrace, columns int) {
	rows := map[string][]rune{}
	var order []figure.Span
	for _, span := range trace.Spans {
		if rows[span.Kind] == nil {
			rows[span.Kind] = []rune(strings.Repeat(" ", columns))
			order = append(order, span)
		}
		from, to := column(span.From, trace.Seconds, columns), column(span.To, trace.Seconds, columns)
		for i := from; i <= to; i++ {
			rows[span.Kind][i] = '▔'
		}
	}
	for _, span := range order {
		style := severityStyle(span.Severity)
		label := figure.SeverityMark(span.Severity) + " " + Clean(span.Kind)
		indent := min(column(span.From, trace.Seconds, columns), max(columns-lipgloss.Width(label), 0))
		s.Println(strings.Repeat(" ", axisWidth+2) + style.Render(strings.TrimRight(string(rows[span.Kind]), " ")))
		s.Println(strings.Repeat(" ", axisWidth+2+indent) + style.Render(label))
	}
}

func column(seconds, whole float64, columns int) int {
	if whole <= 0 {
		return 0
	}
	return min(max(int(seconds/whole*float64(columns)), 0), columns-1)
}

// resample gives one value a column: of all the points that fall into it the
// one that choose prefers, and where none does the one before.
func resample(points []figure.Point, whole float64, columns int, choose func(a, b float64) float64) []float64 {
	values := make([]float64, columns)
	set := make([]bool, columns)
	for _, point := range points {
		// A sample's time is its end; it belongs to the column before it.
		at := column(point.Seconds*(1-1e-9), whole, columns)
		if set[at] {
			values[at] = choose(values[at], point.Value)
		} else {
			values[at] = point.Value
			set[at] = true
		}
	}
	fillGaps(values, set)
	return values
}

// fillGaps gives a column without a point of its own the value of the next one
// that has: a sample stands for the stretch up to its time.
func fillGaps(values []float64, set []bool) {
	next := 0.0
	known := false
	for i := len(values) - 1; i >= 0; i-- {
		if set[i] {
			next = values[i]
			known = true
		} else if known {
			values[i] = next
		}
	}
}
