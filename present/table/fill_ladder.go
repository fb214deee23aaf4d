package table

import (
	"fmt"

	"opengauge/present/figure"
)

// FillLadder is the table behind a fill ladder: a row for each load and level.
func FillLadder(ladder figure.FillLadder) Table {
	t := Table{Columns: []Column{text("load"), number("full"), number(ladder.Unit), number("of the emptiest")}}
	for _, climb := range ladder.Loads {
		for _, rung := range climb.Rungs {
			t.Rows = append(t.Rows, []string{climb.Label, fmt.Sprintf("%.0f %%", rung.Fill*100), rung.Text, fmt.Sprintf("%.0f %%", rung.Of*100)})
		}
	}
	return t
}
