package term

import (
	"fmt"
	"io"
	"strings"

	"opengauge/core/review"
	"opengauge/core/review/design"
	"opengauge/core/unit"
)

// sheetWidth is the width of a printed page, in columns.
const sheetWidth = 78

// Sheet writes a bench sheet to print: the work of each visit of a design, with boxes to tick and
// room for observations.
func Sheet(w io.Writer, d *design.Design, check design.Check) error {
	r := &d.Review
	var text strings.Builder
	s := NewScreen(&text)
	s.Width = sheetWidth
	s.Println("BENCH SHEET: " + Clean(r.Name))
	s.Paragraph("", r.Question)
	s.Println("")
	s.Paragraph("", fmt.Sprintf("%s at the least, about %s, %s. Later visits follow from what these give: "+
		"opengauge review run says which.", unit.Count(check.Least.Visits, "visit"), design.Hours(check.Least.Hours),
		unit.Count(check.Least.Swaps, "swap")))
	line := strings.Repeat("-", sheetWidth)
	before, day := review.Cell{}, ""
	for _, v := range check.Order {
		if v.Day != day {
			day = v.Day
			s.Printf("\n%s\nDAY %s     date __________   room temperature ______ C   by ______________\n%s\n", line, day, line)
		}
		c, _ := r.Cell(v.Cell)
		again := ""
		if v.Control {
			again = "   (the first cell again)"
		}
		s.Printf("\n%2d  %s, visit %d%s\n", v.Order, v.Cell, v.Number, again)
		for _, each := range design.Instructions(&before, &c) {
			s.Paragraph("    [ ] ", each)
		}
		s.Println("    [ ] measured at ____:____    started at ______ C    seen: ________________")
		before = c
	}
	_, err := io.WriteString(w, text.String())
	return err
}
