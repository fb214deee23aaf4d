package table

import (
	"strconv"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Repeats is the table of repeated measurements: the median, and the interval that it is known to. It has no
// rows where none were repeated.
func Repeats(s *session.Session, notation unit.Notation) Table {
	t := Table{Columns: []Column{
		text("measured repeatedly"), number("times"), number("median " + notation.Unit()), number("95 % interval"),
		number("median IOPS"),
	}}
	for _, group := range s.Alike(nil) {
		if group.Passes[0].Step == plan.StepStart {
			continue
		}
		var rates []float64
		var iops []float64
		for _, pass := range group.Passes {
			rates = append(rates, float64(pass.BytesPerSecond))
			iops = append(iops, pass.IOPS)
		}
		interval, ok := stat.RepeatInterval(rates)
		if !ok {
			continue
		}
		t.Rows = append(t.Rows, []string{
			group.Passes[0].Label(), strconv.Itoa(len(group.Passes)),
			notation.Number(unit.BytesPerSecond(interval.Value)),
			notation.Between(unit.BytesPerSecond(max(interval.Low, 0)), unit.BytesPerSecond(interval.High)),
			unit.Grouped(int64(stat.Median(iops) + 0.5)),
		})
	}
	return t
}
