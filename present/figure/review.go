package figure

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"opengauge/core/review"
	"opengauge/core/review/answer"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
	"opengauge/present/table"
)

// mostOptions are drawn, the best first.
const mostOptions = 10

// Options draws what a review chooses between: what each gives by the figure that is
// decided by, with every visit, and which one is named. message is its title.
func Options(r *review.Review, st *reading.State, v *answer.Verdict, message string,
	notation unit.Notation) (Bars, bool) {
	f := r.Decide.Figure
	id := "options"
	for _, level := range v.Given {
		id += "-" + slug(level.Name)
	}
	bars := Bars{ID: id, Title: message, Unit: f.Unit}
	bars.Subtitle = fmt.Sprintf("%s of each option: bars are means, rings single visits, whiskers where the mean may be; "+
		"hatched is out of the race", f.Name)
	group := BarGroup{Label: what(r), Better: "shorter is better", Writes: r.Decide.Of.Operation.Writes()}
	if f.Larger {
		group.Better = "longer is better"
	}
	options := slices.Clone(v.Options)
	slices.SortStableFunc(options, func(a, b answer.Option) int {
		if (a.Figure == 0) != (b.Figure == 0) {
			return cmp.Compare(b.Figure, a.Figure) // what is not known comes last
		}
		if f.Larger {
			return cmp.Compare(b.Figure, a.Figure)
		}
		return cmp.Compare(a.Figure, b.Figure)
	})
	for _, o := range options {
		if o.Figure == 0 && o.Out == "" || len(group.Bars) == mostOptions {
			continue
		}
		group.Bars = append(group.Bars, optionBar(r, st, v, o, notation))
	}
	if more := len(options) - len(group.Bars); more > 0 {
		bars.Subtitle += fmt.Sprintf("; %d more are in the table", more)
	}
	bars.Groups = []BarGroup{group}
	return bars, len(group.Bars) > 0
}

// what says what is decided by: "time for 300 GB, write".
func what(r *review.Review) string {
	text := r.Decide.Figure.Name
	if r.Decide.Amount > 0 {
		text += " for " + r.Decide.Amount.Decimal()
	}
	if of := r.Decide.Of.Text; of != "" {
		text += ", " + of
	}
	return text
}

func optionBar(r *review.Review, st *reading.State, v *answer.Verdict, o answer.Option, notation unit.Notation) Bar {
	f := r.Decide.Figure
	bar := Bar{Name: o.Name, Value: o.Figure, Low: o.Low, High: o.High, Named: o.Name == v.Named, Out: o.Out != ""}
	for i := range st.Visits {
		if visit := &st.Visits[i]; visit.Known() && slices.Contains(o.Cells(), visit.Cell) {
			bar.Dots = append(bar.Dots, visit.Figure)
		}
	}
	bar.Text = "not known"
	if o.Figure > 0 {
		bar.Text = reading.Words(f, o.Figure, notation)
	}
	if o.Price > 0 {
		bar.Text += ", costs " + unit.Price(o.Price)
	}
	switch {
	case bar.Named && v.Settled:
		bar.Text += " ← the answer"
	case bar.Named:
		bar.Text += " ← leads"
	case bar.Out && strings.HasPrefix(o.Out, "it must"):
		bar.Text += ", out: " + o.Out
	case bar.Out:
		bar.Text += ", out"
	}
	return bar
}

// Change is what one factor does by itself: pairs of cells that differ in nothing else, each
// from how it was to how it is.
type Change struct {
	ID, Title, Subtitle string
	From, To            string
	Writes              bool
	Rows                []ChangeRow
	// Top is the end of the axis, which begins at zero.
	Top float64
}

// ChangeRow is a pair.
type ChangeRow struct {
	Name           string
	From, To       float64
	FromText, Text string
}

// mostPairs are drawn.
const mostPairs = 8

// ChangeOf draws a reason of an answer.
func ChangeOf(r *review.Review, reason answer.Reason, notation unit.Notation) (Change, bool) {
	f := r.Decide.Figure
	c := Change{ID: "change-" + slug(reason.Factor+"-"+reason.From+"-"+reason.To), Title: reason.Says, From: reason.From,
		To: reason.To, Writes: r.Decide.Of.Operation.Writes()}
	c.Subtitle = fmt.Sprintf("each line is a pair that differs in the %s alone: ring %s, dot %s; ", reason.Factor,
		reason.From, reason.To)
	if f.Larger {
		c.Subtitle += "further right is better"
	} else {
		c.Subtitle += "further left is better"
	}
	if len(reason.Pairs) > 1 {
		least, most := reason.Between()
		c.Subtitle += fmt.Sprintf("; pair by pair %s to %s", unit.Signed(least), unit.Signed(most))
	}
	for _, pair := range reason.Pairs {
		if !(pair.FromFigure > 0 && pair.ToFigure > 0) || len(c.Rows) == mostPairs {
			continue
		}
		c.Top = max(c.Top, pair.FromFigure, pair.ToFigure)
		c.Rows = append(c.Rows, ChangeRow{Name: others(pair, reason), From: pair.FromFigure, To: pair.ToFigure,
			FromText: reading.Words(f, pair.FromFigure, notation),
			Text: fmt.Sprintf("%s → %s, %s", reading.Words(f, pair.FromFigure, notation),
				reading.Words(f, pair.ToFigure, notation), unit.Signed(pair.ToFigure/pair.FromFigure-1))})
	}
	if more := len(reason.Pairs) - len(c.Rows); more > 0 {
		c.Subtitle += fmt.Sprintf("; %d more pairs are not drawn", more)
	}
	return c, len(c.Rows) > 0 && !math.IsInf(c.Top, 0)
}

// others is what both cells of a pair have in common.
func others(pair answer.Pair, reason answer.Reason) string {
	parts := slices.DeleteFunc(strings.Split(pair.To, "/"), func(p string) bool { return p == reason.To })
	return strings.Join(parts, ", ")
}

// Head is what stands over the figure.
func (c Change) Head() Head {
	return Head{ID: c.ID, Title: c.Title, Subtitle: c.Subtitle, Message: c.message()}
}

// Summary says in words what it shows.
func (c Change) Summary() string {
	var texts []string
	for _, row := range c.Rows {
		texts = append(texts, strings.TrimPrefix(row.Name+": "+row.Text, ": "))
	}
	return c.Title + " " + strings.Join(texts, "; ") + "."
}

// Table of it has no rows: the drawing says all.
func (c Change) Table() table.Table { return table.Table{} }
