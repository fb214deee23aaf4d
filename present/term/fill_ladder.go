package term

import (
	"fmt"
	"math"
	"strings"

	"opengauge/present/figure"
)

// FillLadder draws each load as a ladder of bars, emptiest on top, with the share of the empty
// storage's rate.
func (s *Screen) FillLadder(ladder figure.FillLadder) {
	s.Heading(ladder.Title)
	s.faintly(ladder.Subtitle)
	const beside = 34
	longest := max(min(s.Width, plainWidth)-beside, 20)
	for _, climb := range ladder.Loads {
		s.Printf("%s  %s\n", Clean(climb.Label), faint.Render(ladder.Unit+", longer is better"))
		top := 0.0
		for _, rung := range climb.Rungs {
			top = max(top, rung.Value)
		}
		for _, rung := range climb.Rungs {
			length := int(math.Round(rung.Value / max(top, 1e-9) * float64(longest)))
			bar := strings.Repeat("█", length) + strings.Repeat(" ", longest-length)
			s.Printf("%5.0f %% full %s%s %s %s\n", rung.Fill*100, faint.Render("│"),
				flowStyle(climb.Writes).Render(bar), bold.Render(pad(rung.Text, 7)),
				faint.Render(fmt.Sprintf("%4.0f %%", rung.Of*100)))
		}
	}
}

// padded sets a text to the right of a column.
func pad(text string, width int) string {
	return strings.Repeat(" ", max(width-len([]rune(text)), 0)) + text
}
