package table

import (
	"fmt"

	"opengauge/core/bench/book"
	"opengauge/core/judge/compare"
	"opengauge/core/unit"
)

// Quotes is the table of figures that others published.
func Quotes(quotes []book.Quote, notation unit.Notation) Table {
	t := Table{Columns: []Column{text("part"), text("load"), number("quoted"), text("source"), text("date"), text("set")}}
	for _, q := range quotes {
		t.Rows = append(t.Rows, []string{q.Part, q.Load.Long(), q.Text(notation), q.Source, q.Date, q.Set})
	}
	return t
}

// Quoted is the table of published figures beside measured ones.
func Quoted(quoted []compare.Quoted, notation unit.Notation) Table {
	t := Table{Columns: []Column{text("quoted of"), text("load"), number("quoted"), text("session"), number("measured"),
		number("of quoted"), text("source")}}
	for _, q := range quoted {
		if q.Measured == 0 {
			continue // of what was not measured there is nothing to stand beside
		}
		row := []string{q.Part, q.Load.Long(), q.Text(notation), q.Session, measuredText(q, notation),
			unit.Percent(q.Share), sourceOf(q.Quote)}
		if q.Warning != "" {
			row[5] += " *"
			t.Notes = append(t.Notes, fmt.Sprintf("* %s against %s: %s.", q.Session, q.Source, q.Warning))
		}
		t.Rows = append(t.Rows, row)
	}
	if len(t.Rows) > 0 {
		t.Notes = append(t.Notes, "Quoted figures are what others published, in ways that nobody here checked; they take "+
			"part in no comparison.")
	}
	return t
}

func sourceOf(q book.Quote) string {
	text := q.Source
	if q.Date != "" {
		text += ", " + q.Date
	}
	if q.Set != "" {
		text += " (" + q.Set + ")"
	}
	return text
}

// measuredText is the measured figure, in the unit of the quote.
func measuredText(q compare.Quoted, notation unit.Notation) string {
	like := q.Quote
	switch {
	case like.IOPS > 0:
		like.IOPS = q.Measured
	case like.Latency > 0:
		like.Latency = q.Measured
	default:
		like.Rate = unit.BytesPerSecond(q.Measured)
	}
	return like.Text(notation)
}
