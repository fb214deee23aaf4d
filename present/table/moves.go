package table

import (
	"fmt"
	"slices"
	"strconv"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/explain"
	"opengauge/core/judge/move"
	"opengauge/core/unit"
)

// Amounts is the table of a load that goes through levels, by its phases and how long amounts take, a column
// a session.
func Amounts(c compare.Comparison, a compare.Amounts, notation unit.Notation) Table {
	t := Table{Columns: []Column{text("")}}
	var curves []*move.Curve
	for i, curve := range a.Curves {
		if curve == nil {
			continue
		}
		curves = append(curves, curve)
		t.Columns = append(t.Columns, number(c.Sides[i].DisplayName()))
		if i == 0 {
			continue
		}
		names := [2]string{c.Sides[0].DisplayName(), c.Sides[i].DisplayName()}
		for _, crossing := range a.Crossings[i] {
			t.Notes = append(t.Notes, fmt.Sprintf("%s is ahead up to %s, %s beyond.", names[crossing.Before],
				crossing.Amount.Decimal(), names[crossing.After]))
		}
	}
	t.addLevels(curves, notation)
	beyond := false
	for _, amount := range a.Asked {
		t.row(amount.Decimal(), curves, func(c *move.Curve) string {
			t := c.For(amount)
			beyond = beyond || t.Extrapolated
			return withStar(t)
		})
	}
	if beyond {
		t.Notes = append([]string{beyondNote(curves)}, t.Notes...)
	}
	return t
}

// row adds a row with a cell of each curve.
func (t *Table) row(label string, curves []*move.Curve, of func(*move.Curve) string) {
	cells := []string{label}
	for _, c := range curves {
		cells = append(cells, of(c))
	}
	t.Rows = append(t.Rows, cells)
}

// addLevels adds the levels that curves go through, and where each begins.
func (t *Table) addLevels(curves []*move.Curve, notation unit.Notation) {
	phases := 0
	down := true // whether none goes up again
	for _, c := range curves {
		phases = max(phases, len(c.Phases))
		down = down && (c.Stepped() || !c.Falls())
	}
	for number := range phases {
		of := func(say func(move.Phase) string) func(*move.Curve) string {
			return func(c *move.Curve) string {
				if number >= len(c.Phases) {
					return ""
				}
				return say(c.Phases[number])
			}
		}
		if number > 0 {
			t.row("changes at", curves, of(func(p move.Phase) string { return p.From.Decimal() }))
		}
		t.row(phaseName(number, phases, down), curves, of(func(p move.Phase) string {
			if p.Slowest > 0 {
				return notation.Rate(p.Rate) + " on average"
			}
			return notation.Rate(p.Rate)
		}))
	}
}

// phaseName names a level: there are a fast and a slow one, or several.
func phaseName(number, of int, down bool) string {
	switch {
	case of == 1:
		return "rate"
	case !down && number == 0:
		return "at first"
	case !down:
		return "then"
	case number == 0:
		return "fast phase"
	case number == of-1:
		return "slow phase"
	}
	return "in between"
}

func withStar(t move.Time) string {
	text := t.Words()
	if t.Extrapolated {
		text += " *"
	}
	return text
}

// beyondNote explains the star at a time.
func beyondNote(curves []*move.Curve) string {
	var causes []string
	for _, c := range curves {
		if c == nil {
			continue
		}
		for _, amount := range move.Amounts {
			if t := c.For(amount); t.Cause != "" && !slices.Contains(causes, explain.Short(t.Cause)) {
				causes = append(causes, explain.Short(t.Cause))
			}
		}
	}
	text := "* beyond the recording: at least, where nothing settles how it goes on"
	if len(causes) > 0 {
		text += "; known where what made it fall lasts"
	}
	return text + "."
}

// Quantities is the table of differences between sessions besides their rates.
func Quantities(c compare.Comparison) Table {
	t := Table{Columns: []Column{text("besides speed")}}
	for _, side := range c.Sides {
		t.Columns = append(t.Columns, number(side.DisplayName()))
	}
	for _, q := range c.Quantities {
		t.Rows = append(t.Rows, append([]string{q.Says}, q.Texts...))
	}
	return t
}

// MoveStandings is the table of where a session stands by how long amounts take.
func MoveStandings(standings []move.Standing) Table {
	t := Table{Columns: []Column{text("load"), number("amount"), number("time"), number("of others"), number("faster"),
		number("alike"), number("slower"), text("next faster")}}
	beyond := false
	for _, s := range standings {
		next := "none"
		if s.Next != nil {
			next = s.Next.Session + ", " + s.Next.Words()
		}
		beyond = beyond || s.Extrapolated
		t.Rows = append(t.Rows, []string{s.Load, s.Amount.Decimal(), withStar(s.Time), strconv.Itoa(s.Others),
			strconv.Itoa(s.Faster), strconv.Itoa(s.Alike), strconv.Itoa(s.Slower), next})
	}
	if beyond {
		t.Notes = append(t.Notes, beyondNote(nil))
	}
	return t
}
