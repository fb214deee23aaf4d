package table

import (
	"strconv"

	"opengauge/core/bench/link"
	"opengauge/core/unit"
)

// Standards is the table of link standards with their three ceilings.
func Standards(standards []link.Standard, notation unit.Notation) Table {
	t := Table{Columns: []Column{
		text("standard"), number("lanes"), number("line " + notation.Unit()), number("payload"), number("usable"),
		text("about"),
	}}
	for _, standard := range standards {
		c := standard.Ceiling()
		t.Rows = append(t.Rows, []string{
			standard.Name, strconv.Itoa(standard.Lanes), notation.Number(c.Line), notation.Number(c.Payload),
			notation.Between(c.Usable.Low, c.Usable.High), standard.About,
		})
	}
	return t
}
