package term

import (
	"charm.land/lipgloss/v2"
	lipglosstable "charm.land/lipgloss/v2/table"

	"opengauge/present/table"
)

// Table writes a table, and its notes under it.
func (s *Screen) Table(t table.Table) {
	headers := make([]string, len(t.Columns))
	for i, column := range t.Columns {
		headers[i] = column.Title
	}
	drawn := lipglosstable.New().Headers(headers...).
		BorderTop(false).BorderBottom(false).BorderLeft(false).BorderRight(false).BorderColumn(false).
		Border(lipgloss.NormalBorder()).BorderStyle(faint).Wrap(false).
		StyleFunc(func(row, column int) lipgloss.Style {
			style := lipgloss.NewStyle()
			if column < len(t.Columns)-1 {
				style = style.PaddingRight(2)
			}
			if t.Columns[column].Number {
				style = style.Align(lipgloss.Right)
			}
			if row == lipglosstable.HeaderRow {
				style = style.Inherit(bold)
			}
			return style
		})
	for _, row := range t.Rows {
		cells := make([]string, len(row))
		for i, cell := range row {
			cells[i] = Clean(cell)
		}
		drawn.Row(cells...)
	}
	s.Println(drawn.Render())
	for _, note := range t.Notes {
		s.Paragraph("  ", note)
	}
}
