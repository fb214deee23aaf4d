package term

import (
	"fmt"
	"math"
	"strings"

	"opengauge/present/figure"
)

// Rivals draws a recording with its two likeliest explanations over it.
func (s *Screen) Rivals(r figure.Rivals) {
	const rows = 10
	columns := max(min(s.Width, plainWidth)-axisWidth-2, 20)
	top := r.Top()
	grid := make([][]rune, rows)
	for i := range grid {
		grid[i] = []rune(strings.Repeat(" ", columns))
	}
	put := func(points []figure.Point, sign rune) {
		for column, value := range resample(points, r.Seconds, columns, math.Min) {
			if value > 0 {
				grid[min(int(value/top*rows), rows-1)][column] = sign
			}
		}
	}
	put(r.Recording.Points, '·')
	put(r.Second.Curve.Points, '╌')
	put(r.First.Curve.Points, '━')
	s.Heading(r.Title)
	s.faintly(r.Subtitle)
	s.Printf("%*s  %s\n", axisWidth, r.Unit, faint.Render("higher is better"))
	for row := rows - 1; row >= 0; row-- {
		s.Printf("%s%s\n", axis(row, rows, top), flowStyle(r.Writes).Render(string(grid[row])))
	}
	s.timeAxis(figure.HeatTrace{Seconds: r.Seconds}, columns)
	legend := fmt.Sprintf("━ %s   ╌ %s   · recorded", r.First.Name, r.Second.Name)
	if r.Same() {
		legend = fmt.Sprintf("━ %s, and %s: both draw the same line   · recorded", r.First.Name, r.Second.Name)
	}
	s.Paragraph("  ", legend)
	s.Table(r.Table())
}
