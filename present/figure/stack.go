package figure

import (
	"strings"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"opengauge/present/table"
)

// MostStacked is how many figures one sheet has room for.
const MostStacked = 3

// Stacked is several figures on one sheet, the first on top; one alone is itself.
func Stacked(figures []Figure) Figure {
	if len(figures) == 1 {
		return figures[0]
	}
	return stack(figures)
}

type stack []Figure

// Sheets is how many figures stand over each other on the sheet of one.
func Sheets(f Figure) int {
	if s, several := f.(stack); several {
		return len(s)
	}
	return 1
}

// Head is that of the first.
func (s stack) Head() Head { return s[0].Head() }

// Summary is that of all, one after the other.
func (s stack) Summary() string {
	texts := make([]string, len(s))
	for i, each := range s {
		texts[i] = each.Summary()
	}
	return strings.Join(texts, " ")
}

// Table is that of the first.
func (s stack) Table() table.Table { return s[0].Table() }

// Draw gives each an even part of the sheet.
func (s stack) Draw(sheet draw.Canvas) error {
	height := (sheet.Max.Y - sheet.Min.Y) / vg.Length(len(s))
	for i, each := range s {
		part := sheet
		part.Max.Y -= height * vg.Length(i)
		part.Min.Y = part.Max.Y - height
		if err := DrawWhole(each, part); err != nil {
			return err
		}
	}
	return nil
}
