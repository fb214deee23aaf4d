package term

import (
	"opengauge/present/figure"
)

// Figure draws a figure: those that have a form of their own in a terminal in that,
// others as their table.
func (s *Screen) Figure(f figure.Figure) {
	switch f := f.(type) {
	case figure.ChainStrip:
		s.ChainStrip(f)
	case figure.HeatTrace:
		s.HeatTrace(f)
	case figure.DepthMap:
		s.DepthMap(f)
	case figure.FillLadder:
		s.FillLadder(f)
	case figure.CopyMatrix:
		s.CopyMatrix(f)
	case figure.Rivals:
		s.Rivals(f)
	case figure.Moves:
		s.Moves(f)
	case figure.Bars:
		s.Bars(f)
	default:
		head := f.Head()
		s.Heading(head.Title)
		s.Paragraph("", head.Subtitle)
		s.Table(f.Table())
		s.Paragraph("", f.Summary())
	}
}
