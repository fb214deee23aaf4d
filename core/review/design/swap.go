package design

import (
	"fmt"
	"strings"

	"opengauge/core/review"
)

// Change is something that hands change between two cells.
type Change struct {
	Factor string `json:"factor"`
	From   string `json:"from,omitempty"`
	To     string `json:"to,omitempty"`
}

// Swaps reports whether a part is exchanged, and not only a condition set.
func (c Change) Swaps() bool { return review.IsPart(c.Factor) }

// Says is what hands have to do.
func (c Change) Says() string {
	switch {
	case c.To == "":
		return fmt.Sprintf("no %s any more", c.Factor)
	case !c.Swaps():
		return fmt.Sprintf("set %s to %s", c.Factor, c.To)
	case c.From == "":
		return fmt.Sprintf("take the %s %s", c.Factor, c.To)
	}
	return fmt.Sprintf("exchange the %s %s for %s", c.Factor, c.From, c.To)
}

// Changes are what differs between two cells, in the order of the second's levels. Before
// the first cell everything is new.
func Changes(from, to *review.Cell) []Change {
	var changes []Change
	for _, l := range to.All {
		if was := from.Of(l.Factor); was != l.Name {
			changes = append(changes, Change{l.Factor, was, l.Name})
		}
	}
	for _, l := range from.All {
		if to.Of(l.Factor) == "" {
			changes = append(changes, Change{Factor: l.Factor, From: l.Name})
		}
	}
	return changes
}

// Swaps is how many parts are exchanged between two cells.
func Swaps(from, to *review.Cell) int {
	swaps := 0
	for _, c := range Changes(from, to) {
		if c.Swaps() && c.From != "" && c.To != "" {
			swaps++
		}
	}
	return swaps
}

// Instructions say what hands do before a cell: what changes, and that all of it is put
// together anew, as that is what is repeated.
func Instructions(from, to *review.Cell) []string {
	changes := Changes(from, to)
	if len(from.All) == 0 {
		return []string{"Put together: " + strings.Join(to.Parts(), ", ") + settings(to) + "."}
	}
	var lines []string
	for _, c := range changes {
		lines = append(lines, strings.ToUpper(c.Says()[:1])+c.Says()[1:]+".")
	}
	if len(changes) == 0 {
		lines = append(lines, "The same again: "+strings.Join(to.Parts(), ", ")+settings(to)+".")
	}
	return append(lines, "Unplug what stays, and plug it in again.")
}

func settings(c *review.Cell) string {
	text := ""
	for _, l := range c.All {
		if !review.IsPart(l.Factor) {
			text += fmt.Sprintf(", %s %s", l.Factor, l.Name)
		}
	}
	return text
}
