package logbook

import (
	"fmt"
	"strings"
)

// rows are rows of a table that are put there together: each way to a server and back costs as
// much as a hundred of them.
type rows struct {
	// table with its columns, as a statement names them.
	table  string
	widths int
	values []any
	// next is which row [rows.Next] gave, of those that go by COPY.
	next int
}

func (r *rows) add(values ...any) {
	r.widths = len(values)
	r.values = append(r.values, values...)
}

// atOnce is how many arguments a statement has at the most; engines take 32 766 and more.
const atOnce = 2000

// byStatement is how many rows go as quickly by statements.
const byStatement = 100

// parts are the table's name and those of its columns.
func (r *rows) parts() (table string, columns []string) {
	table, list, _ := strings.Cut(strings.TrimSuffix(r.table, ")"), " (")
	return table, strings.Split(list, ", ")
}

// Next goes to the next row, for pgx.
func (r *rows) Next() bool {
	r.next++
	return r.next*r.widths <= len(r.values)
}

// Values are those of the row.
func (r *rows) Values() ([]any, error) { return r.values[(r.next-1)*r.widths : r.next*r.widths], nil }

// Err is nil: the rows are at hand.
func (r *rows) Err() error { return nil }

// put adds the rows to their table.
func (r *rows) put(tx transaction) error {
	if r.widths > 0 && len(r.values)/r.widths > byStatement {
		if done, err := tx.copy(tx, r); done || err != nil {
			return err
		}
	}
	for left := r.values; len(left) > 0; {
		count := min(atOnce/r.widths, len(left)/r.widths)
		if _, err := tx.Exec(r.statement(count), left[:count*r.widths]...); err != nil {
			return err
		}
		left = left[count*r.widths:]
	}
	return nil
}

// statement adds so many rows. Few forms of it come up, so that an engine knows them again.
func (r *rows) statement(count int) string {
	var text strings.Builder
	fmt.Fprintf(&text, `INSERT INTO %s VALUES `, r.table)
	for i := range count {
		if i > 0 {
			text.WriteString(", ")
		}
		for j := range r.widths {
			text.WriteString([]string{"($", ", $"}[min(j, 1)])
			fmt.Fprint(&text, i*r.widths+j+1)
		}
		text.WriteString(")")
	}
	return text.String()
}
