package figure

import (
	"fmt"
	"maps"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var fillLadderForm = Form{
	Name: "fill-ladder", Question: "Is it slower when it is full?", Few: true,
	Section: "ladders", Title: "Fill ladder", Fold: "The levels as a table",
	Missing: "has no load at two fill levels, so there is no ladder to draw",
	Of: each(func(s *session.Session,
		subject Subject) []Figure {
		return one(NewFillLadder(s, subject.Notation))
	}),
}

// Head is what stands over the ladder.
func (l FillLadder) Head() Head {
	return Head{ID: l.ID, Title: l.Title, Subtitle: l.Subtitle, Message: l.message()}
}

// FillLadder is the throughput of each load at each fill level, against that at
// the emptiest.
type FillLadder struct {
	ID       string  `json:"id"`
	Title    string  `json:"title"`
	Subtitle string  `json:"subtitle"`
	Unit     string  `json:"unit"`
	Loads    []Climb `json:"loads"`
	// Top is the highest value, for an axis from zero.
	Top float64 `json:"top"`
}

// Climb is one load over the levels, emptiest first.
type Climb struct {
	Label  string `json:"label"`
	Writes bool   `json:"writes"`
	Rungs  []Rung `json:"rungs"`
}

// Rung is one level of a load.
type Rung struct {
	// Fill is the share that is full.
	Fill  float64 `json:"fill"`
	Value float64 `json:"value"`
	Text  string  `json:"text"`
	// Of is the share of the value at the emptiest level.
	Of float64 `json:"of"`
}

// fewestRungs make a ladder.
const fewestRungs = 2

// NewFillLadder makes the ladder of a session; false where it has no load at two
// levels or more.
func NewFillLadder(s *session.Session, notation unit.Notation) (FillLadder, bool) {
	ladder := FillLadder{ID: "ladder-" + s.ID, Title: s.DisplayName() + ": slower when fuller?",
		Subtitle: subtitle(s), Unit: notation.Unit()}
	for _, group := range s.Alike(func(k *session.Key) { k.Fill = 0 }) {
		if climb := climbOf(group, notation); len(climb.Rungs) >= fewestRungs {
			ladder.Loads = append(ladder.Loads, climb)
			for _, rung := range climb.Rungs {
				ladder.Top = max(ladder.Top, rung.Value)
			}
		}
	}
	return ladder, len(ladder.Loads) > 0
}

// climbOf is what a load gave at each level, the median of its repeats.
func climbOf(group session.Group, notation unit.Notation) Climb {
	rates := map[float64][]float64{}
	for _, pass := range group.Passes {
		rates[pass.FillShare] = append(rates[pass.FillShare], float64(pass.BytesPerSecond))
	}
	climb := Climb{Label: group.Key.Load.String(), Writes: group.Key.Writes()}
	for _, fill := range slices.Sorted(maps.Keys(rates)) {
		rate := unit.BytesPerSecond(stat.Median(rates[fill]))
		rung := Rung{Fill: fill, Value: notation.Value(rate), Text: notation.Number(rate), Of: 1}
		if len(climb.Rungs) > 0 && climb.Rungs[0].Value > 0 {
			rung.Of = rung.Value / climb.Rungs[0].Value
		}
		climb.Rungs = append(climb.Rungs, rung)
	}
	return climb
}

// Summary says in words what the ladder shows.
func (l FillLadder) Summary() string {
	text := "Throughput in " + l.Unit + " by fill level"
	for _, climb := range l.Loads {
		last := climb.Rungs[len(climb.Rungs)-1]
		text += fmt.Sprintf("; %s: %s at %.0f %% full, %s at %.0f %%", climb.Label, climb.Rungs[0].Text,
			climb.Rungs[0].Fill*100, last.Text, last.Fill*100)
	}
	return text + "."
}

// Table is the table behind a fill ladder: a row for each load and level.
func (ladder FillLadder) Table() table.Table {
	t := table.Table{Columns: []table.Column{table.Text("load"), table.Number("full"), table.Number(ladder.Unit),
		table.Number("of the emptiest")}}
	for _, climb := range ladder.Loads {
		for _, rung := range climb.Rungs {
			t.Rows = append(t.Rows, []string{climb.Label, fmt.Sprintf("%.0f %%", rung.Fill*100), rung.Text,
				fmt.Sprintf("%.0f %%", rung.Of*100)})
		}
	}
	return t
}
