// Package design says in which order the cells of a review are visited, what hands do
// between them, how long that takes and wears, and which effects it tells apart.
//
// Cells are visited in rounds, each cell once a round, in an order that is drawn anew and
// changes few parts; at each day's start, and at the end, the first cell comes again. All
// of it follows from the review and from the visits that were made, so that a review can
// stop anywhere. A design is only read once it was made, and may be shared by goroutines.
package design

import (
	"hash/fnv"
	"math/rand/v2"
	"slices"

	"opengauge/core/bench/book"
	"opengauge/core/review"
)

// Design is the order of a review's visits.
type Design struct {
	Review review.Review
	seed   uint64
}

// New makes the design of a review. The same review has the same design everywhere.
func New(r review.Review) *Design {
	sum := fnv.New64a()
	_, _ = sum.Write([]byte(r.Name + r.Definition())) // never fails
	return &Design{Review: r, seed: sum.Sum64()}
}

// Visit is one cell, put together and measured.
type Visit struct {
	Cell string `json:"cell"`
	// Number is how often the cell was put together by then, and Order at which place of
	// all visits, both from 1.
	Number int    `json:"visit"`
	Order  int    `json:"order"`
	Day    string `json:"day,omitempty"`
	// Control says that it is the first cell again.
	Control bool `json:"control,omitempty"`
}

// Here says where and when the next visit would be.
type Here struct {
	// Day is what visits share that are made one after the other.
	Day string
	// Hosts are those that are at hand; none is all.
	Hosts []string
	// Out are cells that are not visited any more.
	Out map[string]bool
	// Taken are visits that others are making now, at other benches.
	Taken []Visit
}

// with are the visits that were made, and those that others are making.
func (h Here) with(made []Visit) []Visit { return slices.Concat(made, h.Taken) }

// Next is the visit that comes after those that were made, in the order in which they
// were. It is false where nothing is left to visit here.
func (d *Design) Next(made []Visit, here Here) (Visit, bool) {
	cells := d.open(made, here)
	if len(cells) == 0 {
		return Visit{}, false
	}
	if first, ok := d.control(made, here); ok {
		return d.visit(first, made, here, true), true
	}
	counts := d.counts(here.with(made))
	least := slices.MinFunc(cells, func(a, b review.Cell) int { return counts[a.Name] - counts[b.Name] })
	round := counts[least.Name]
	order := d.round(cells, round, last(made))
	for _, c := range order {
		if counts[c.Name] == round {
			return d.visit(c.Name, made, here, false), true
		}
	}
	return Visit{}, false
}

// Control is the first cell once more, for the end of a review; false where it was visited
// last, or is not at hand.
func (d *Design) Control(made []Visit, here Here) (Visit, bool) {
	if len(made) < 2 || made[len(made)-1].Cell == made[0].Cell {
		return Visit{}, false
	}
	first, ok := d.Review.Cell(made[0].Cell)
	if !ok || !d.atHand(first, here) || d.passed(first, made) || d.inUse(first, here) {
		return Visit{}, false
	}
	return d.visit(first.Name, made, here, true), true
}

// control is the cell that a day begins with once there was another day: the first one that
// was ever visited on a host that is at hand.
func (d *Design) control(made []Visit, here Here) (string, bool) {
	if len(made) == 0 || slices.ContainsFunc(made, func(v Visit) bool { return v.Day == here.Day }) {
		return "", false
	}
	for _, v := range made {
		if c, ok := d.Review.Cell(v.Cell); ok && d.atHand(c, here) && !d.passed(c, made) && !d.inUse(c, here) {
			return c.Name, true
		}
	}
	return "", false
}

func (d *Design) visit(cell string, made []Visit, here Here, control bool) Visit {
	v := Visit{Cell: cell, Number: 1, Order: 1, Day: here.Day, Control: control}
	for _, m := range made {
		v.Order = max(v.Order, m.Order+1)
		if m.Cell == cell {
			v.Number = max(v.Number, m.Number+1)
		}
	}
	return v
}

// counts is how often each cell was visited, but for controls; of cells that a step without
// a way back does not touch, how often since it.
func (d *Design) counts(made []Visit) map[string]int {
	counts := map[string]int{}
	side, before := d.Side(made), 0
	step, stepping := d.Review.OneWay()
	for i := range made {
		if stepping && d.Side(made[:i+1]) < side {
			before = i + 1
		}
	}
	for i, v := range made {
		c, _ := d.Review.Cell(v.Cell)
		if !v.Control && (i >= before || c.Of(step.Key) != "") {
			counts[v.Cell]++
		}
	}
	return counts
}

func last(made []Visit) string {
	if len(made) == 0 {
		return ""
	}
	return made[len(made)-1].Cell
}

func (d *Design) atHand(c review.Cell, here Here) bool {
	return len(here.Hosts) == 0 || c.Host() == "" || slices.Contains(here.Hosts, c.Host())
}

// inUse says whether a part of a cell is at another bench now: of each there is one, but for
// those that all cells have, of which each bench has its own.
func (d *Design) inUse(c review.Cell, here Here) bool {
	return slices.ContainsFunc(here.Taken, func(v Visit) bool {
		other, ok := d.Review.Cell(v.Cell)
		return ok && (other.Name == c.Name || slices.ContainsFunc(c.Setup.Parts, func(p book.Part) bool {
			return has(&other, p) && !d.inAll(p)
		}))
	})
}

// inAll says whether all cells have a part.
func (d *Design) inAll(p book.Part) bool {
	return !slices.ContainsFunc(d.Review.Cells(), func(c review.Cell) bool { return !has(&c, p) })
}

func has(c *review.Cell, p book.Part) bool {
	return slices.ContainsFunc(c.Setup.Parts, func(q book.Part) bool { return p.Kind == q.Kind && p.Name == q.Name })
}

// open are the cells that may be visited now.
func (d *Design) open(made []Visit, here Here) []review.Cell {
	counts := d.counts(here.with(made))
	var cells []review.Cell
	for _, c := range d.Review.Cells() {
		free := d.atHand(c, here) && !d.inUse(c, here) && !here.Out[c.Name] && c.Excluded == ""
		if free && counts[c.Name] < d.mostOf(c, made) {
			cells = append(cells, c)
		}
	}
	return d.onThisSide(cells, made)
}

// mostOf is how often a cell is visited: in all, or on its side of a step without a way
// back.
func (d *Design) mostOf(c review.Cell, made []Visit) int {
	b := d.Review.Budget
	step, ok := d.Review.OneWay()
	if !ok {
		return b.VisitsMost
	}
	side := d.Side(made)
	if level := slices.Index(step.Levels, c.Of(step.Key)); level >= 0 {
		side = level
	}
	if side == 0 {
		return d.Before()
	}
	return max(b.VisitsMost-d.Before(), b.VisitsLeast)
}

// Before is how often each cell is visited before a step without a way back: nobody can
// come back for more.
func (d *Design) Before() int {
	b := d.Review.Budget
	return max((b.VisitsMost+1)/2, b.VisitsLeast)
}

// Side is on which level of the one-way factor the bench is, by the visits made: 0 is
// before it.
func (d *Design) Side(made []Visit) int {
	step, ok := d.Review.OneWay()
	side := 0
	for _, v := range made {
		if c, known := d.Review.Cell(v.Cell); known && ok {
			side = max(side, slices.Index(step.Levels, c.Of(step.Key)))
		}
	}
	return side
}

// passed reports whether a cell is on a side of a one-way step that was left.
func (d *Design) passed(c review.Cell, made []Visit) bool {
	step, ok := d.Review.OneWay()
	level := slices.Index(step.Levels, c.Of(step.Key))
	return ok && level >= 0 && level < d.Side(made)
}

// onThisSide are the cells on this side of a one-way step; those beyond it only once
// nothing is left here.
func (d *Design) onThisSide(cells []review.Cell, made []Visit) []review.Cell {
	step, ok := d.Review.OneWay()
	if !ok {
		return cells
	}
	for side := d.Side(made); side < len(step.Levels); side++ {
		var these []review.Cell
		stays := false
		for _, c := range cells {
			level := slices.Index(step.Levels, c.Of(step.Key))
			if level < 0 || level == side {
				these = append(these, c)
				stays = stays || level >= 0 || side == d.Side(made)
			}
		}
		if stays && len(these) > 0 {
			return these
		}
	}
	return nil
}

// round orders the cells of a round: one after the other with few parts changed, and at
// random within that. The order depends on the review, the round and which cell was last.
func (d *Design) round(cells []review.Cell, round int, after string) []review.Cell {
	chance := rand.New(rand.NewPCG(d.seed, uint64(round)))
	before, _ := d.Review.Cell(after)
	order := d.arrange(cells, d.bySwap(), before, chance)
	if len(order) > 1 && order[0].Name == after { // twice in a row would be one set-up
		order[0], order[1] = order[1], order[0]
	}
	return order
}

// bySwap are the factors from the one that costs most to change to the one that costs
// least.
func (d *Design) bySwap() []string {
	var keys []string
	for _, c := range d.Review.Cells() {
		for _, l := range c.Levels {
			if !slices.Contains(keys, l.Factor) {
				keys = append(keys, l.Factor)
			}
		}
	}
	slices.SortStableFunc(keys, func(a, b string) int { return costOf(b) - costOf(a) })
	return keys
}

// costOf says how dear it is to change a factor: another host is another desk, a drive has
// to be taken out of its case, a case or a cable is plugged in, a condition is set.
func costOf(key string) int {
	if at := slices.Index([]string{"cable", "enclosure", "volume", "drive", "host"}, key); at >= 0 {
		return at + 1
	}
	return 0
}

// arrange puts cells in order: those of one level of the first factor together, in an order
// of levels that is drawn, but for the level that the bench has now, which comes first.
func (d *Design) arrange(cells []review.Cell, keys []string, before review.Cell, chance *rand.Rand) []review.Cell {
	if len(cells) < 2 || len(keys) == 0 {
		return cells
	}
	groups := map[string][]review.Cell{}
	var levels []string
	for _, c := range cells {
		level := c.Of(keys[0])
		if groups[level] == nil {
			levels = append(levels, level)
		}
		groups[level] = append(groups[level], c)
	}
	chance.Shuffle(len(levels), func(i, j int) { levels[i], levels[j] = levels[j], levels[i] })
	if at := slices.Index(levels, before.Of(keys[0])); at > 0 && costOf(keys[0]) > 0 {
		levels[0], levels[at] = levels[at], levels[0]
	}
	var order []review.Cell
	for _, level := range levels {
		order = append(order, d.arrange(groups[level], keys[1:], before, chance)...)
		before = order[len(order)-1]
	}
	return order
}
