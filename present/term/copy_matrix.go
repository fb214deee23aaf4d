package term

import (
	"fmt"
	"strings"

	"charm.land/lipgloss/v2"

	"opengauge/present/figure"
	"opengauge/present/table"
)

// CopyMatrix draws copies between several ends as a grid, each cell with a bar of
// its share of the fastest.
func (s *Screen) CopyMatrix(m figure.CopyMatrix) {
	s.Heading(m.Title)
	s.Paragraph("", m.Subtitle)
	const cell = 26
	names := 0
	for _, end := range m.Ends {
		names = max(names, lipgloss.Width(Clean(end)))
	}
	names = min(names+1, 30)
	if s.Interactive && names+3+cell*len(m.Ends) > s.Width {
		s.copyList(m)
		return
	}
	line := strings.Repeat(" ", names+3)
	for _, end := range m.Ends {
		line += bold.Render(fixedWidth("to "+Clean(end), cell))
	}
	s.Println(strings.TrimRight(line, " "))
	for from, row := range m.Cells {
		lead := bold.Render(fixedWidth(Clean(m.Ends[from]), names)) + "   "
		lines := [3]string{lead, strings.Repeat(" ", names+3), strings.Repeat(" ", names+3)}
		for to, each := range row {
			texts := [3]string{fixedWidth("·", cell), fixedWidth("", cell), fixedWidth("", cell)}
			switch {
			case each.Known:
				long := int(each.Share*float64(cell-4) + 0.5)
				texts[0] = fixedWidth(each.Text+", "+each.Time, cell)
				texts[1] = flowStyle(true).Render(strings.Repeat("█", long)) + strings.Repeat(" ", cell-long)
				if each.Limit != "" {
					texts[2] = faint.Render(fixedWidth("limit: "+each.Limit, cell))
				}
			case from == to:
				texts[0] = faint.Render(fixedWidth("–", cell))
			}
			for i := range lines {
				lines[i] += texts[i]
			}
		}
		for _, each := range lines {
			s.Println(strings.TrimRight(each, " "))
		}
	}
}

// copyList writes the copies a line each, where a grid has no room.
func (s *Screen) copyList(m figure.CopyMatrix) {
	t := table.Table{Columns: []table.Column{table.Text("from"), table.Text("to").Kept(), table.Number(m.Unit).Kept(),
		table.Number("time").Spared(1), table.Text("limit").Spared(2)}}
	for from, row := range m.Cells {
		for to, each := range row {
			if each.Known {
				t.Rows = append(t.Rows, []string{m.Ends[from], m.Ends[to], each.Text, each.Time, each.Limit})
			}
		}
	}
	s.Table(t)
}

// fixedWidth pads a text to the right, or cuts it off.
func fixedWidth(text string, width int) string {
	runes := []rune(text)
	if len(runes) > width-1 && width > 1 {
		runes = append(runes[:width-2], '…')
	}
	return fmt.Sprintf("%-*s", width, string(runes))
}
