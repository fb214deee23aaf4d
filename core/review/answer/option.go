package answer

import (
	"slices"
	"strings"

	"opengauge/core/review"
)

// option is one of those that are chosen between: the cells that share its levels.
type option struct {
	name   string
	levels []review.Level
	cells  []review.Cell
}

// group is the options of one answer.
type group struct {
	given   []review.Level
	options []option
}

// groups are the options of a review, a group for each level of what is given.
func groups(r *review.Review, given []string) []group {
	var list []group
	for _, c := range r.Cells() {
		under, levels := split(&c, given), split(&c, r.Decide.Choose)
		if len(r.Candidates) > 0 {
			under, levels = nil, c.Levels
		}
		at := slices.IndexFunc(list, func(g group) bool { return slices.Equal(g.given, under) })
		if at < 0 {
			at = len(list)
			list = append(list, group{given: under})
		}
		list[at].add(r, c, levels)
	}
	return list
}

func (g *group) add(r *review.Review, c review.Cell, levels []review.Level) {
	name := c.Name
	if len(r.Candidates) == 0 {
		var names []string
		for _, l := range levels {
			names = append(names, l.Name)
		}
		name = strings.Join(names, "/")
	}
	at := slices.IndexFunc(g.options, func(o option) bool { return o.name == name })
	if at < 0 {
		at = len(g.options)
		g.options = append(g.options, option{name: name, levels: levels})
	}
	g.options[at].cells = append(g.options[at].cells, c)
}

// split are the levels that a cell has of some factors.
func split(c *review.Cell, keys []string) []review.Level {
	var levels []review.Level
	for _, l := range c.Levels {
		if slices.Contains(keys, l.Factor) {
			levels = append(levels, l)
		}
	}
	return levels
}

// price is what the dearest of its cells costs, without what is owned.
func (o *option) price() float64 {
	most := 0.0
	for i := range o.cells {
		most = max(most, o.cells[i].Price)
	}
	return most
}

// spread puts the weight of one over an option's cells, as far as another one has cells at
// the same levels of what is averaged over; else over all of them.
func (o *option) spread(over []string, other *option, weight float64, into map[string]float64) {
	cells := o.cells
	if other != nil {
		common := slices.DeleteFunc(slices.Clone(cells), func(c review.Cell) bool {
			profile := split(&c, over)
			return !slices.ContainsFunc(other.cells, func(d review.Cell) bool { return slices.Equal(split(&d, over), profile) })
		})
		if len(common) > 0 {
			cells = common
		}
	}
	for i := range cells {
		into[cells[i].Name] += weight / float64(len(cells))
	}
}

// difference are the weights by which one option is held against another.
func difference(a, b *option, over []string) map[string]float64 {
	weights := map[string]float64{}
	a.spread(over, b, 1, weights)
	b.spread(over, a, -1, weights)
	return weights
}
