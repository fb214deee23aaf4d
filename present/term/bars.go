package term

import (
	"math"
	"strings"

	"charm.land/lipgloss/v2"

	"opengauge/present/figure"
)

// Bars draws groups of bars, each with a scale of its own from zero.
func (s *Screen) Bars(bars figure.Bars) {
	s.Heading(bars.Title)
	s.Paragraph("", bars.Subtitle)
	names := 0
	texts := 0
	for _, group := range bars.Groups {
		for _, bar := range group.Bars {
			names = max(names, lipgloss.Width(Clean(bar.Name)))
			texts = max(texts, lipgloss.Width(Clean(bar.Text)))
		}
	}
	const widest = 130 // longer bars tell no more
	longest := max(min(s.Width, widest)-names-texts-4, 12)
	for _, group := range bars.Groups {
		s.Printf("%s  %s\n", bold.Render(Clean(group.Label)), faint.Render(group.Better))
		for _, bar := range group.Bars {
			name := Clean(bar.Name)
			drawn := barOf(bar, group.Top(), longest)
			s.Printf("  %s%s %s", name, strings.Repeat(" ", names-lipgloss.Width(name)), flowStyle(group.Writes).Render(drawn))
			text := Clean(bar.Text)
			if used := 3 + names + lipgloss.Width(drawn); s.Interactive && used+1+lipgloss.Width(text) > s.Width {
				s.Println("")
				s.Paragraph(strings.Repeat(" ", min(3+names, s.Width/2)), text)
				continue
			}
			s.Println(" " + text)
		}
	}
}

// barOf draws a bar, its interval as a whisker over its end.
func barOf(bar figure.Bar, top float64, longest int) string {
	place := func(value float64) int { return int(math.Round(value / top * float64(longest-1))) }
	cells := []rune(strings.Repeat("█", place(bar.Value)+1))
	if low, high := place(bar.Low), place(bar.High); bar.High > 0 && high > low {
		for len(cells) <= high {
			cells = append(cells, '─')
		}
		for i := low; i < high; i++ {
			cells[i] = '─'
			if i < place(bar.Value) {
				cells[i] = '▓'
			}
		}
		cells[high] = '┤'
	}
	return string(cells)
}
