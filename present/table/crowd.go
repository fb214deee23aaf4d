package table

import (
	"fmt"
	"math"
	"slices"
	"strconv"

	"opengauge/core/judge/crowd"
	"opengauge/core/unit"
)

// Crowd is the table of a volume's throughput for hosts at once, by their number.
func Crowd(sweeps []crowd.Sweep, notation unit.Notation) Table {
	t := Table{Columns: []Column{text("load").Kept(), number("hosts"), number("together " + notation.Unit()),
		number("each"), number("fairness").Spared(2), number("others lose").Spared(1), number("p99").Spared(3)}}
	repeated := slices.ContainsFunc(sweeps, func(w crowd.Sweep) bool {
		return slices.ContainsFunc(w.Points, func(p crowd.Point) bool { return p.Repeats > 1 })
	})
	if repeated {
		t.Columns = append(t.Columns, number("repeats"))
	}
	row := func(cells []string, repeats string) {
		if repeated {
			cells = append(cells, repeats)
		}
		t.Rows = append(t.Rows, cells)
	}
	for i := range sweeps {
		label := sweeps[i].Label
		for _, p := range sweeps[i].Points {
			cost := ""
			if !math.IsNaN(p.Cost) {
				cost = fmt.Sprintf("%.0f %%", max(p.Cost, 0)*100)
			}
			row([]string{label, strconv.Itoa(p.Hosts), notation.Number(p.Sum),
				notation.Number(p.Sum / unit.BytesPerSecond(p.Hosts)), fmt.Sprintf("%.2f", p.Fairness), cost,
				unit.Latency(p.P99Seconds)}, repeatsOf(p, notation))
			label = ""
		}
		if after := sweeps[i].After; after > 0 {
			row([]string{"", "1 again", notation.Number(after), notation.Number(after), "", "", ""}, "")
		}
	}
	return t
}

// repeatsOf says how many passes a point is the middle one of, and how far they lie apart.
func repeatsOf(p crowd.Point, notation unit.Notation) string {
	if p.Repeats < 2 {
		return strconv.Itoa(p.Repeats)
	}
	return fmt.Sprintf("%d, %s to %s", p.Repeats, notation.Number(p.Low), notation.Number(p.High))
}

// CrowdShares is the table of each host's throughput where most were there, and of its loss against its run
// alone.
func CrowdShares(sweeps []crowd.Sweep, notation unit.Notation) Table {
	t := Table{Columns: []Column{text("load").Kept(), text("host").Kept(), number("alone " + notation.Unit()),
		number("at once"), number("loses")}}
	for i := range sweeps {
		label := sweeps[i].Label
		for _, each := range sweeps[i].Points[len(sweeps[i].Points)-1].Each {
			alone := "not measured"
			loses := ""
			if each.Alone > 0 {
				alone = notation.Number(each.Alone)
			}
			if each.Alone > 0 && sweeps[i].Limit != crowd.Changed {
				loses = fmt.Sprintf("%.0f %%", max(1-float64(each.Together)/float64(each.Alone), 0)*100)
			}
			t.Rows = append(t.Rows, []string{label, each.Host, alone, notation.Number(each.Together), loses})
			label = ""
		}
	}
	return t
}
