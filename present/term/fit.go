package term

import (
	"slices"
	"strings"

	"charm.land/lipgloss/v2"

	"opengauge/present/table"
)

const (
	// between is the room between columns.
	between = 2
	// legible is the width to which texts are shortened while there are columns to leave out;
	// shortest is the least width.
	legible, shortest = 26, 14
	// fewestColumns are left before a table turns into blocks of lines.
	fewestColumns = 3
)

// narrowed is a table as wide as there is room for: its texts are shortened first, then
// columns are left out, the least important first. left names those. It is false where
// too few columns would remain.
func narrow(t table.Table, room int) (fit table.Table, left []string, ok bool) {
	shown := make([]int, len(t.Columns))
	for i := range shown {
		shown[i] = i
	}
	for {
		widths := widthsOf(t, shown)
		at := leastImportant(t, shown)
		least := legible
		if at < 0 || len(shown) <= fewestColumns {
			least = shortest
		}
		if shorten(t, shown, widths, room, least) {
			return cut(t, shown, widths), left, true
		}
		if least == shortest {
			return table.Table{}, nil, false
		}
		left = append(left, t.Columns[shown[at]].Title)
		shown = slices.Delete(shown, at, at+1)
	}
}

// widthsOf are how wide the columns are that are shown.
func widthsOf(t table.Table, shown []int) []int {
	widths := make([]int, len(shown))
	for i, column := range shown {
		widths[i] = lipgloss.Width(t.Columns[column].Title)
		for _, row := range t.Rows {
			if column < len(row) {
				widths[i] = max(widths[i], lipgloss.Width(Clean(row[column])))
			}
		}
	}
	return widths
}

// shorten makes the widest columns of text narrower until all fit, if they do.
func shorten(t table.Table, shown, widths []int, room, least int) bool {
	for {
		whole := between * (len(widths) - 1)
		widest := -1
		for i, width := range widths {
			whole += width
			if !t.Columns[shown[i]].Number && width > least && (widest < 0 || width > widths[widest]) {
				widest = i
			}
		}
		switch {
		case whole <= room:
			return true
		case widest < 0:
			return false
		}
		widths[widest] = max(widths[widest]-(whole-room), least, secondWidest(t, shown, widths, widest))
	}
}

// secondWidest is to where the widest may shrink before another one is as wide.
func secondWidest(t table.Table, shown, widths []int, widest int) int {
	second := 0
	for i, width := range widths {
		if i != widest && !t.Columns[shown[i]].Number && width < widths[widest] {
			second = max(second, width)
		}
	}
	return second
}

// leastImportant is the column that is left out next: the one that is spared first, of
// those alike the last; the first of a table is never.
func leastImportant(t table.Table, shown []int) int {
	least := -1
	for i := 1; i < len(shown); i++ {
		column := t.Columns[shown[i]]
		if column.Spare >= 0 && (least < 0 || column.Spare >= t.Columns[shown[least]].Spare) {
			least = i
		}
	}
	return least
}

// cut is the table with the columns that are shown, each as wide as it may be.
func cut(t table.Table, shown, widths []int) table.Table {
	made := table.Table{Notes: t.Notes}
	for i, column := range shown {
		title := t.Columns[column]
		title.Title = cutMiddle(title.Title, widths[i])
		made.Columns = append(made.Columns, title)
	}
	for _, row := range t.Rows {
		var cells []string
		for i, column := range shown {
			cell := ""
			if column < len(row) {
				cell = cutMiddle(Clean(row[column]), widths[i])
			}
			cells = append(cells, cell)
		}
		made.Rows = append(made.Rows, cells)
	}
	return made
}

// middled is a text that is no wider than it may be: of names the end says as much as the
// beginning.
func cutMiddle(text string, width int) string {
	if lipgloss.Width(text) <= width {
		return text
	}
	runes := []rune(text)
	end := (width - 1) / 2
	first, last := string(runes[:width-1-end]), string(runes[len(runes)-end:])
	return strings.TrimRight(first, " ") + "…" + strings.TrimLeft(last, " ")
}

// blocks writes a table as a block of lines a row.
func (s *Screen) blocks(t table.Table) {
	widest := 0
	for _, column := range t.Columns {
		widest = max(widest, lipgloss.Width(column.Title))
	}
	for i, row := range t.Rows {
		if i > 0 {
			s.Println("")
		}
		for at, cell := range row {
			switch title := t.Columns[at].Title; {
			case at == 0 && cell != "":
				s.Paragraph("", cell)
			case cell != "":
				s.Paragraph("  "+faint.Render(title)+strings.Repeat(" ", widest-lipgloss.Width(title)+1), cell)
			}
		}
	}
}
