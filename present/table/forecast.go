package table

import (
	"opengauge/core/judge/predict"
	"opengauge/core/unit"
)

// Forecast is the table of expectations for each pass.
func Forecast(f predict.Forecast, notation unit.Notation) Table {
	t := Table{Columns: []Column{text("pass"), number("measured " + notation.Unit()), number("expect"),
		text("the limit will be")}}
	open := false
	for _, p := range f.Passes {
		expected := notation.Between(p.Expected.Low, p.Expected.High)
		if p.Open {
			expected += " *"
			open = true
		}
		t.Rows = append(t.Rows, []string{p.Label, notation.Number(p.Measured), expected, limitWords(p)})
	}
	if open {
		t.Notes = append(t.Notes, "* The chain that this was measured in was the limit, so the drive may do more "+
			"than it could show. The high figure is its rating, or else what the new chain carries.")
	}
	t.Notes = append(t.Notes, "Latency of another bridge is not known beforehand: passes of small blocks at low "+
		"depth may shift by its tens of microseconds.")
	return t
}

// ForecastAmounts is the table of how long amounts took, and are expected to take.
func ForecastAmounts(amounts []predict.Amount) Table {
	t := Table{Columns: []Column{text("load"), number("amount"), number("measured"), number("expect"), text("between")}}
	label := ""
	beyond := false
	for _, a := range amounts {
		shown := a.Load
		if shown == label {
			shown = ""
		}
		label = a.Load
		beyond = beyond || a.Measured.Extrapolated
		t.Rows = append(t.Rows, []string{shown, a.Amount.Decimal(), withStar(a.Measured), a.Expected.Words(),
			a.Expected.Interval()})
	}
	if beyond {
		t.Notes = append(t.Notes, beyondNote(nil))
	}
	return t
}

// RatingsThrough is the table of the parts of ratings that a chain lets through.
func RatingsThrough(rated []predict.Rated, notation unit.Notation) Table {
	t := Table{Columns: []Column{text("rating"), number("stated"), number("expect " + notation.Unit()),
		text("the limit will be")}}
	for _, r := range rated {
		stated := notation.Rate(r.Rating)
		if r.IOPS > 0 {
			stated = unit.Grouped(int64(r.IOPS+0.5)) + " IOPS of 4 KiB"
		}
		t.Rows = append(t.Rows, []string{r.Name, stated, notation.Between(r.Expected.Low, r.Expected.High),
			limitWords(predict.Pass{Binds: r.Binds, Hop: r.Hop})})
	}
	t.Notes = append(t.Notes, "From ratings, at the most: makers state the best case, and nothing was measured.")
	return t
}

func limitWords(p predict.Pass) string {
	switch p.Binds {
	case predict.ByHop:
		return p.Hop
	case predict.ByDrive:
		return "the drive"
	case predict.ByEither:
		return p.Hop + " or the drive"
	default:
		return "not known"
	}
}
