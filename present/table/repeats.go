package table

import (
	"strconv"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Repeats is the table of what was measured more than once: the median, and the
// interval that it is known to. It has no rows where nothing was.
func Repeats(s *session.Session, notation unit.Notation) Table {
	t := Table{Columns: []Column{
		text("measured repeatedly"), number("times"), number("median " + notation.Unit()), number("95 % interval"), number("median IOPS"),
	}}
	for _, group := range repeated(s) {
		var rates, iops []float64
		for _, pass := range group {
			rates = append(rates, float64(pass.BytesPerSecond))
			iops = append(iops, pass.IOPS)
		}
		interval, known := stat.RepeatInterval(rates)
		if !known {
			continue
		}
		t.Rows = append(t.Rows, []string{
			group[0].Label(), strconv.Itoa(len(group)), notation.Number(unit.BytesPerSecond(interval.Value)),
			notation.Between(unit.BytesPerSecond(max(interval.Low, 0)), unit.BytesPerSecond(interval.High)),
			unit.Grouped(int64(stat.Median(iops) + 0.5)),
		})
	}
	return t
}

// repeated groups the whole passes that were asked for the same, in the order
// of their first.
func repeated(s *session.Session) [][]*session.Pass {
	place := map[plan.Pass]int{}
	var groups [][]*session.Pass
	for at := range s.Passes {
		pass := &s.Passes[at]
		if pass.CutShort || pass.Step == plan.StepStart {
			continue
		}
		asked := pass.Asked()
		if _, seen := place[asked]; !seen {
			place[asked] = len(groups)
			groups = append(groups, nil)
		}
		groups[place[asked]] = append(groups[place[asked]], pass)
	}
	return groups
}
