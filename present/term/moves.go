package term

import (
	"fmt"
	"strings"

	"opengauge/core/unit"
	"opengauge/present/figure"
)

// moveSigns are the signs of lines, in their order.
var moveSigns = []rune("●■▲◆✚○")

// Moves draws time against amount, a sign a session; points beyond the recording are small.
func (s *Screen) Moves(m figure.Moves) {
	const rows = 12
	columns := max(min(s.Width, plainWidth)-axisWidth-2, 20)
	top := figure.Top(m.Most() * 1.05)
	grid := make([][]rune, rows)
	for i := range grid {
		grid[i] = []rune(strings.Repeat(" ", columns))
	}
	put := func(points []figure.Along, sign rune) {
		for _, p := range points {
			row, column := int(p.Time/top*rows), int(p.Gigabytes/m.Gigabytes*float64(columns))
			grid[min(row, rows-1)][min(column, columns-1)] = sign
		}
	}
	var legend []string
	for i := len(m.Lines) - 1; i >= 0; i-- { // the first on top
		put(m.Lines[i].Beyond, '·')
		put(m.Lines[i].Recorded, moveSigns[i%len(moveSigns)])
	}
	for i, line := range m.Lines {
		legend = append(legend, fmt.Sprintf("%c %s", moveSigns[i%len(moveSigns)], line.Name))
	}
	s.Heading(m.Title)
	s.faintly(m.Subtitle)
	s.Printf("%*s  %s\n", axisWidth, m.Unit, faint.Render("lower is better"))
	for row := rows - 1; row >= 0; row-- {
		s.Printf("%s%s\n", axis(row, rows, top), flowStyle(m.Writes).Render(string(grid[row])))
	}
	s.Println(strings.Repeat(" ", axisWidth+1) + faint.Render("└"+strings.Repeat("─", columns)))
	end := unit.Digits(m.Gigabytes, 4) + " GB"
	s.Println(strings.Repeat(" ", axisWidth+2) + "0" + strings.Repeat(" ", max(columns-len(end)-1, 1)) + end)
	s.Paragraph("  ", strings.Join(append(legend, "· beyond the recording"), "   "))
	for _, mark := range m.Crossings {
		s.Paragraph("  ", mark.Text)
	}
}
