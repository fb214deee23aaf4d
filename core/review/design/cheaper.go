package design

import (
	"math/rand/v2"
	"slices"

	"opengauge/core/review"
)

// Cheaper is a smaller design that still tells what each factor does by itself.
type Cheaper struct {
	Cells []string `json:"cells"`
	Cost  Cost     `json:"cost"`
	// Loses is what it does not tell any more.
	Loses string `json:"loses"`
}

// fewestCells is the smallest review that is worth making smaller.
const fewestCells = 6

// cheaper leaves out cells as long as the effect of every factor is still told, each level
// stands in two cells at least, and twice as many cells are left as effects are told, so
// that it is seen how exact they are.
func (d *Design) cheaper() *Cheaper {
	cells := d.Review.Cells()
	if len(d.Review.Factors) < 2 || len(cells) < fewestCells {
		return nil
	}
	if _, stepping := d.Review.OneWay(); stepping {
		return nil
	}
	kept := cells
	chance := rand.New(rand.NewPCG(d.seed, 0))
	for range shrinkTries {
		if fewer := d.fewer(cells, chance); len(fewer) < len(kept) {
			kept = fewer
		}
	}
	if len(kept) == len(cells) {
		return nil
	}
	var names []string
	for _, c := range kept {
		names = append(names, c.Name)
	}
	visits := slices.DeleteFunc(d.list(d.least()), func(v Visit) bool {
		return !slices.Contains(names, v.Cell)
	})
	return &Cheaper{Cells: names, Cost: d.cost(visits),
		Loses: "whether one factor does more together with another: each is taken to do the same everywhere"}
}

// shrinkTries is in how many orders cells are tried to be left out.
const shrinkTries = 20

// fewer leaves out cells, in an order that is drawn.
func (d *Design) fewer(cells []review.Cell, chance *rand.Rand) []review.Cell {
	kept := slices.Clone(cells)
	for _, i := range chance.Perm(len(cells)) {
		rest := slices.DeleteFunc(slices.Clone(kept), func(c review.Cell) bool { return c.Name == cells[i].Name })
		if d.tells(rest) {
			kept = rest
		}
	}
	return kept
}

// tells reports whether cells tell every factor's effect.
func (d *Design) tells(cells []review.Cell) bool {
	places := make([]place, len(cells))
	for i := range cells {
		places[i].cell = &cells[i]
	}
	effects := 1
	var keys []string
	for _, f := range d.Review.Factors {
		keys, effects = append(keys, f.Key), effects+len(f.Levels)-1
	}
	if len(cells) < effects+1 {
		return false
	}
	for _, f := range d.Review.Factors {
		others := slices.DeleteFunc(slices.Clone(keys), func(k string) bool { return k == f.Key })
		if !told(places, f.Key, others) || !twice(places, f) {
			return false
		}
	}
	return true
}

func twice(places []place, f review.Factor) bool {
	for _, level := range f.Levels {
		count := 0
		for i := range places {
			if places[i].of(f.Key) == level {
				count++
			}
		}
		if count < 2 {
			return false
		}
	}
	return true
}
