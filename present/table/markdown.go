package table

import (
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"opengauge/core/record/exchange"
)

// Markdown writes the table as Markdown, its notes below it.
func (t Table) Markdown(w io.Writer) error {
	var out strings.Builder
	line := func(cells []string) {
		out.WriteString("|")
		for _, cell := range cells {
			out.WriteString(" " + markdownCell(cell) + " |")
		}
		out.WriteString("\n")
	}
	titles := make([]string, len(t.Columns))
	rules := make([]string, len(t.Columns))
	for i, column := range t.Columns {
		titles[i] = column.Title
		rules[i] = "---"
		if column.Number {
			rules[i] = "---:"
		}
	}
	line(titles)
	out.WriteString("| " + strings.Join(rules, " | ") + " |\n")
	for _, row := range t.Rows {
		line(row)
	}
	for _, note := range t.Notes {
		fmt.Fprintf(&out, "\n%s\n", Markdown(note))
	}
	_, err := io.WriteString(w, out.String())
	return err
}

func markdownCell(text string) string {
	return strings.ReplaceAll(Markdown(text), "\n", " ")
}

// Markdown writes text so that nothing in it is taken for markup.
func Markdown(text string) string {
	return markdownEscapes.Replace(text)
}

var markdownEscapes = strings.NewReplacer(`\`, `\\`, "`", "\\`", "*", `\*`, "_", `\_`, "[", `\[`, "]", `\]`, "<",
	"&lt;", ">", "&gt;", "&", "&amp;", "|", `\|`, "#", `\#`, "\x1b", "", "\r", "")

// CSV writes the table as CSV. Texts that a spreadsheet would take for a formula are
// guarded.
func (t Table) CSV(w io.Writer) error {
	out := csv.NewWriter(w)
	titles := make([]string, len(t.Columns))
	for i, column := range t.Columns {
		titles[i] = exchange.Guarded(column.Title)
	}
	if err := out.Write(titles); err != nil {
		return err
	}
	for _, row := range t.Rows {
		cells := make([]string, len(row))
		for i, cell := range row {
			if cells[i] = cell; !t.Columns[i].Number {
				cells[i] = exchange.Guarded(cell)
			}
		}
		if err := out.Write(cells); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}
