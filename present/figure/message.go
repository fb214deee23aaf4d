package figure

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/unit"
)

// Each figure has one message, which stands over it in reports.

// message is the title where nothing else was said.
func (b Bars) message() string { return b.Says }

// message is in the title of a change already.
func (c Change) message() string { return "" }

func (o OverTime) message() string {
	first, last := o.Panels[0], o.Panels[len(o.Panels)-1]
	text := fmt.Sprintf("%s ends at %s, %s at %s", first.Name, first.Text, last.Name, last.Text)
	if kinds := last.kinds(); len(kinds) > 0 {
		text += " (" + kinds[0] + ")"
	}
	return text
}

func (h HeatTrace) message() string {
	name, _, _ := strings.Cut(h.Title, ": ")
	for _, span := range h.Spans {
		if span.Severity != "note" {
			return fmt.Sprintf("%s: %s from %s on, at %s", name, span.Kind, unit.Span(unit.Duration(span.From)), span.LevelText)
		}
	}
	if len(h.Throughput.Points) == 0 {
		return ""
	}
	last := h.Throughput.Points[len(h.Throughput.Points)-1]
	return fmt.Sprintf("%s holds %s %s to the end", name, unit.Digits(last.Value, 3), h.Unit)
}

func (c ChainStrip) message() string {
	narrowest := ""
	for _, hop := range c.Hops {
		if strings.HasPrefix(hop.Mark, MarkNarrowest) {
			narrowest = fmt.Sprintf("%s is the narrowest hop, %s %s", hop.Name, hop.Text, c.Unit)
		}
	}
	switch {
	case narrowest == "":
		return ""
	case c.Flow == nil:
		return narrowest
	}
	return narrowest + "; " + c.Flow.Text + " came through"
}

func (m CopyMatrix) message() string {
	best, slowest, from, to := CopyCell{}, CopyCell{}, "", ""
	for i, row := range m.Cells {
		for j, cell := range row {
			if cell.Known && (!best.Known || cell.Value > best.Value) {
				best, from, to = cell, m.Ends[i], m.Ends[j]
			}
			if cell.Known && (!slowest.Known || cell.Value < slowest.Value) {
				slowest = cell
			}
		}
	}
	if !best.Known {
		return ""
	}
	return fmt.Sprintf("%s: fastest from %s to %s at %s, slowest at %s", m.Set, from, to, best.Text, slowest.Text)
}

func (m DepthMap) message() string {
	best, block, depth := Cell{}, 0, 0
	for i, row := range m.Cells {
		for j, cell := range row {
			if cell.Known && cell.Share > best.Share {
				best, block, depth = cell, i, j
			}
		}
	}
	if !best.Known {
		return ""
	}
	return fmt.Sprintf("%s: most with %s at depth %d, %s %s", m.Title, m.Blocks[block], m.Depths[depth], best.Text, m.Unit)
}

func (l FillLadder) message() string {
	worst, label := Rung{Of: 2}, ""
	for _, climb := range l.Loads {
		if last := climb.Rungs[len(climb.Rungs)-1]; last.Of < worst.Of {
			worst, label = last, climb.Label
		}
	}
	name, _, _ := strings.Cut(l.Title, ": ")
	return fmt.Sprintf("%s, %.0f %% full: %s is at %.0f %% of what it is at the emptiest", name, worst.Fill*100, label,
		worst.Of*100)
}

func (m Moves) message() string {
	// The largest amount whose time all of them have.
	amount := m.Gigabytes
	for _, line := range m.Lines {
		amount = min(amount, line.end().Gigabytes)
	}
	fastest, slowest := 0, 0
	for i, line := range m.Lines {
		if line.at(amount) < m.Lines[fastest].at(amount) {
			fastest = i
		}
		if line.at(amount) > m.Lines[slowest].at(amount) {
			slowest = i
		}
	}
	text := fmt.Sprintf("%s takes %s %s for %s GB", m.Lines[fastest].Name,
		unit.Digits(m.Lines[fastest].at(amount), 3), m.Unit, unit.Digits(amount, 4))
	if fastest != slowest {
		text += fmt.Sprintf(", %s %s %s", m.Lines[slowest].Name, unit.Digits(m.Lines[slowest].at(amount), 3), m.Unit)
	}
	return text
}

func (l MoveLine) end() Along {
	if len(l.Beyond) > 0 {
		return l.Beyond[len(l.Beyond)-1]
	}
	return l.Recorded[len(l.Recorded)-1]
}

// at is the time that an amount takes, that of the first point at which it is moved.
func (l MoveLine) at(gigabytes float64) float64 {
	for _, p := range slices.Concat(l.Recorded, l.Beyond) {
		if p.Gigabytes >= gigabytes*(1-1e-9) {
			return p.Time
		}
	}
	return l.end().Time
}

func (r Rivals) message() string {
	name, _, _ := strings.Cut(r.Title, ": ")
	return fmt.Sprintf("%s: %s at %s, or %s at %s", name, r.First.Name, percent(r.First.Share), r.Second.Name,
		percent(r.Second.Share))
}

func (s Sweep) message() string {
	best, most := 0, 0.0
	for i, line := range s.Lines {
		if last := line.Points[len(line.Points)-1]; last.Value > most {
			best, most = i, last.Value
		}
	}
	return fmt.Sprintf("%s: %s is ahead at the end, %s %s", s.Title, s.Lines[best].Name, unit.Digits(most, 4), s.Unit)
}
