package table

import (
	"fmt"
	"strings"

	"opengauge/core/review"
	"opengauge/core/review/answer"
	"opengauge/core/review/design"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
)

// Costs is the cost of a review, with as few visits as it needs and with as many as it may make.
func Costs(c design.Check) Table {
	t := Table{Columns: []Column{Text(""), Number("Visits"), Number("Days"), Number("Hours"), Number("Swaps"),
		Number("Written")}}
	for _, row := range []struct {
		name string
		cost design.Cost
	}{{"at least", c.Least}, {"at most", c.Most}} {
		t.Rows = append(t.Rows, []string{row.name, fmt.Sprint(row.cost.Visits), fmt.Sprint(row.cost.Days),
			design.Hours(row.cost.Hours), fmt.Sprint(row.cost.Swaps), row.cost.Written.Decimal()})
	}
	return t
}

// Wear is the amount that a review writes to each drive.
func Wear(c design.Check) Table {
	t := Table{Columns: []Column{Text("Drive"), Number("Written at most"), Number("Of its endurance")}}
	for _, w := range c.Wear {
		share := "not stated"
		if w.Share > 0 {
			share = unit.Percent(w.Share)
		}
		t.Rows = append(t.Rows, []string{w.Drive, w.Written.Decimal(), share})
	}
	return t
}

// Order is in which order cells are visited.
func Order(visits []design.Visit) Table {
	t := Table{Columns: []Column{Number("#"), Text("Day"), Text("Cell"), Number("Visit"), Text("")}}
	for _, v := range visits {
		control := ""
		if v.Control {
			control = "the first cell again"
		}
		t.Rows = append(t.Rows, []string{fmt.Sprint(v.Order), v.Day, v.Cell, fmt.Sprint(v.Number), control})
	}
	return t
}

// Options are the choices of a review, with the effect of each.
func Options(r review.Review, v answer.Verdict, notation unit.Notation) Table {
	f := r.Decide.Figure
	t := Table{Columns: []Column{Text("Option"), Number(f.Name).Kept(), Text("Between").Spared(2),
		Number("Visits").Spared(3), Number("Costs").Spared(1), Number("Sure"), Text("").Kept()}}
	for _, o := range v.Options {
		figure := ""
		between := ""
		sure := ""
		if o.Figure > 0 {
			figure = reading.Words(f, o.Figure, notation)
		}
		if o.Low > 0 {
			between = reading.Words(f, o.Low, notation) + " to " + reading.Words(f, o.High, notation)
		}
		if o.Sure > 0 {
			sure = unit.SureCell(o.Sure)
		}
		t.Rows = append(t.Rows, []string{o.Name, figure, between, fmt.Sprint(o.Visits), price(o.Price), sure,
			standing(v, o)})
	}
	t.Notes = append(t.Notes, fmt.Sprintf("Sure: that nothing is better by more than %s, at the least.",
		unit.Given(r.Decide.Matters)))
	return t
}

func price(value float64) string {
	if value == 0 {
		return "-"
	}
	return unit.Price(value)
}

func standing(v answer.Verdict, o answer.Option) string {
	switch {
	case v.Settled && o.Name == v.Named:
		return "← the answer"
	case o.Name == v.Named:
		return "leads"
	}
	if o.Out != "" {
		return "out"
	}
	return ""
}

// Grid is how far a review is, a row a cell.
func Grid(r review.Review, cells []answer.Standing, notation unit.Notation) Table {
	t := Table{Columns: []Column{Text("Cell"), Number("Visits").Spared(1), Number(r.Decide.Figure.Name).Kept(),
		Text("State").Kept(), Text("Why").Spared(2), Text("Note").Spared(3)}}
	for _, c := range cells {
		figure := ""
		if c.Figure > 0 {
			figure = reading.Words(r.Decide.Figure, c.Figure, notation)
		}
		t.Rows = append(t.Rows, []string{c.Cell, fmt.Sprint(c.Visits), figure, string(c.State), c.Why,
			strings.Join(c.Notes, " ")})
	}
	return t
}
