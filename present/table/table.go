// Package table holds results as tables, independent of where they are shown.
//
// Tables are values, and its functions may be called by several goroutines at once.
package table

// Table is columns and rows of text, ready to be shown.
type Table struct {
	Columns []Column
	Rows    [][]string
	// Notes are sentences that belong under the table.
	Notes []string
}

// Column is one column of a table.
type Column struct {
	Title string
	// Number columns are aligned to the right.
	Number bool
	// Spare says how soon the column is left out where there is no room: the highest
	// first, and those below 0 never.
	Spare int
}

// Spared is the column, to be left out sooner than others.
func (c Column) Spared(sooner int) Column {
	c.Spare = sooner
	return c
}

// Kept is the column, never to be left out.
func (c Column) Kept() Column { return c.Spared(-1) }

// Text is a column of texts.
func Text(title string) Column { return Column{Title: title} }

// Number is a column of figures, aligned to the right.
func Number(title string) Column { return Column{Title: title, Number: true} }

func text(title string) Column   { return Text(title) }
func number(title string) Column { return Number(title) }
