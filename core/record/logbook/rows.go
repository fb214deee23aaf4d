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
}

func (r *rows) add(values ...any) {
	r.widths = len(values)
	r.values = append(r.values, values...)
}

// atOnce is how many arguments a statement has at the most; engines take 32 766 and more.
const atOnce = 2000

// put adds the rows to their table.
func (r *rows) put(tx transaction) error {
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
