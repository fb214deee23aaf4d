package term

import (
	"math"
	"strings"

	"charm.land/lipgloss/v2"

	"opengauge/present/figure"
)

// stripRows is how tall the strip is.
const stripRows = 8

// narrowestColumn keeps a hop's standard readable.
const narrowestColumn = 11

// ChainStrip draws the hops side by side, each as tall as the most it can carry,
// with the measured flow through all of them. Chains of more hops than fit go on
// below.
func (s *Screen) ChainStrip(strip figure.ChainStrip) {
	s.Heading(strip.Title)
	if strip.Subtitle != "" {
		s.faintly(strip.Subtitle)
	}
	room := max(min(s.Width, plainWidth)-axisWidth-2, narrowestColumn)
	most := max(room/narrowestColumn, 1)
	for from := 0; from < len(strip.Hops); from += most {
		part := strip.Hops[from:min(from+most, len(strip.Hops))]
		s.stripPart(strip, part, min(room/len(part), 26))
	}
	s.legend("▒ usable, at the most   ░ if it had trained as both ends can   ? not known")
	if strip.Flow != nil {
		s.Println(strings.Repeat(" ", axisWidth+2) +
			flowStyle(strip.Flow.Writes).Render("█ measured: "+strip.Flow.Text) + faint.Render(", "+strip.Flow.Label))
	}
}

func (s *Screen) stripPart(strip figure.ChainStrip, hops []figure.StripHop, width int) {
	s.Printf("%*s  %s\n", axisWidth, strip.Unit, faint.Render("higher carries more"))
	for row := stripRows - 1; row >= 0; row-- {
		var line strings.Builder
		for _, hop := range hops {
			line.WriteString(stripCell(strip, hop, row, width))
		}
		s.Println(axis(row, stripRows, strip.Top) + line.String())
	}
	lines := [][]string{}
	for _, hop := range hops {
		mark := hop.Mark
		if mark != "" && hop.High > 0 {
			mark = "▲ " + mark
		}
		lines = append(lines, []string{bold.Render(fitText(hop.Text, width)), fitText(hop.Standard, width),
			faint.Render(fitText(hop.Name, width)), bold.Render(fitText(mark, width))})
	}
	for row := range lines[0] {
		var line strings.Builder
		for i := range lines {
			line.WriteString(lines[i][row])
		}
		s.Println(strings.Repeat(" ", axisWidth+2) + strings.TrimRight(line.String(), " "))
	}
}

// fitted is a text cut and padded to a column, with a gap behind it.
func fitText(text string, width int) string {
	text = Clean(text)
	if lipgloss.Width(text) > width-1 {
		runes := []rune(text)
		text = string(runes[:max(width-2, 1)]) + "…"
	}
	return text + strings.Repeat(" ", max(width-lipgloss.Width(text), 0))
}

// stripCell is one row of one hop: the flow, which continues through the gap, the room above it,
// and the gain of better training.
func stripCell(strip figure.ChainStrip, hop figure.StripHop, row, width int) string {
	filled := func(value float64) bool { return value/strip.Top*stripRows > float64(row)+0.5 }
	least := func(value float64) bool { return value > 0 && (row == 0 || filled(value)) } // even a thin hop shows
	flowing := strip.Flow != nil && least(strip.Flow.Value)
	switch {
	case flowing:
		return flowStyle(strip.Flow.Writes).Render(strings.Repeat("█", width))
	case least(hop.High):
		return strings.Repeat("▒", width-1) + " "
	case filled(hop.Capable):
		return faint.Render(strings.Repeat("░", width-1)) + " "
	case hop.High == 0 && row == int(math.Round(stripRows/2)):
		return faint.Render(fitText(strings.Repeat(" ", (width-1)/2)+"?", width))
	}
	return strings.Repeat(" ", width)
}
