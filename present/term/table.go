package term

import (
	"slices"
	"strings"

	"charm.land/lipgloss/v2"
	lipglosstable "charm.land/lipgloss/v2/table"

	"opengauge/present/table"
)

// Table writes a table, and its notes under it: in a terminal as wide as that is, and whole
// where nobody looks.
func (s *Screen) Table(t table.Table) {
	if s.Interactive {
		fit, left, ok := narrow(t, s.Width)
		if !ok {
			s.blocks(t)
			s.notes(t)
			return
		}
		t = fit
		if len(left) > 0 {
			slices.Reverse(left)
			t.Notes = append(slices.Clone(t.Notes), "Left out here, and there in a wider terminal or a pipe: "+
				strings.Join(left, ", ")+".")
		}
	}
	s.grid(t)
	s.notes(t)
}

func (s *Screen) notes(t table.Table) {
	for _, note := range t.Notes {
		s.Paragraph("  ", note)
	}
}

// grid writes the columns and rows.
func (s *Screen) grid(t table.Table) {
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
}
