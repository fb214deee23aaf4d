package term

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"charm.land/lipgloss/v2"

	"opengauge/present/figure"
)

// shades tell a cell's share of the ceiling: under 20 %, 40 %, 60 %, 80 %, and
// above.
var shades = []string{"·", "░", "▒", "▓", "█"}

// DepthMap draws block sizes by depths, largest blocks on top, each cell with
// its value and a mark that is darker the closer it is to the ceiling.
func (s *Screen) DepthMap(m figure.DepthMap) {
	s.Heading(m.Title)
	s.faintly(m.Subtitle)
	width, gap := cellWidth(m), " "
	if s.Interactive && axisWidth+2+(width+3)*len(m.Depths) > s.Width {
		gap = ""
	}
	if s.Interactive && axisWidth+2+(width+2)*len(m.Depths) > s.Width {
		width = 0 // the shades alone
	}
	s.Printf("%*s  %s\n", axisWidth, m.Unit, faint.Render("higher is better"))
	for row := len(m.Blocks) - 1; row >= 0; row-- {
		var line strings.Builder
		for _, cell := range m.Cells[row] {
			line.WriteString(" " + drawCell(cell, width, gap))
		}
		s.Printf("%*s %s%s\n", axisWidth, m.Blocks[row], faint.Render("│"), line.String())
	}
	s.Println(strings.Repeat(" ", axisWidth+1) + faint.Render("└"+strings.Repeat("─", (width+2+len(gap))*len(m.Depths))))
	var depths strings.Builder
	for _, depth := range m.Depths {
		fmt.Fprintf(&depths, " %*s", width+1+len(gap), strconv.Itoa(depth))
	}
	s.Printf("%*s  %s\n", axisWidth, "depth", depths.String())
	s.legend(strings.Join(legend(), "  ") + "  " + Clean(m.Of))
	if note := m.Note(); note != "" {
		s.legend(note)
	}
}

func legend() []string {
	var words []string
	for i, shade := range shades {
		words = append(words, fmt.Sprintf("%s from %d %%", shade, i*20))
	}
	return words
}

func cellWidth(m figure.DepthMap) int {
	width := 1
	for _, row := range m.Cells {
		for _, cell := range row {
			width = max(width, lipgloss.Width(cell.Text))
		}
	}
	return width
}

// drawCell writes a cell's mark and value.
func drawCell(cell figure.Cell, width int, gap string) string {
	if !cell.Known {
		return strings.Repeat(" ", width+1+len(gap))
	}
	at := min(int(math.Max(cell.Share, 0)*float64(len(shades))), len(shades)-1)
	if width == 0 {
		return teal.Render(shades[at]) + gap
	}
	padding := strings.Repeat(" ", width-lipgloss.Width(cell.Text))
	return teal.Render(shades[at]) + gap + padding + cell.Text
}
