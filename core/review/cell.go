package review

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/judge/factor"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Cell is one combination of parts and conditions.
type Cell struct {
	Name string
	// Levels are of the factors that it has, in their order; of a candidate, its bundle.
	Levels []Level
	// All are the levels together with those that all cells have.
	All []Level
	// Setup is the set-up that the parts make by the bench book.
	Setup book.Setup
	// Price is of all its parts that are not owned, and Unpriced those whose price is not
	// known.
	Price    float64
	Unpriced []string
	// Excluded is why it cannot be the answer, whatever it does, or empty: it is not measured.
	Excluded string
}

// Impossible is a combination that cannot be.
type Impossible struct {
	Name string `json:"cell"`
	Why  string `json:"why"`
}

// roles are the factors that are parts, in the order of a chain.
var roles = []string{string(book.Host), string(book.Cable), string(book.Enclosure), string(book.Drive),
	string(book.Volume)}

// IsPart reports whether a factor is a part on the bench; others are conditions.
func IsPart(key string) bool { return slices.Contains(roles, key) }

// Of returns a cell's level of a factor, its own or one that all cells have, or "".
func (c *Cell) Of(key string) string { return levelOf(c.All, key) }

func levelOf(levels []Level, key string) string {
	for _, l := range levels {
		if l.Factor == key {
			return l.Name
		}
	}
	return ""
}

// Has reports whether the cell has all of some levels.
func (c *Cell) Has(levels []Level) bool {
	return !slices.ContainsFunc(levels, func(l Level) bool { return c.Of(l.Factor) != l.Name })
}

// Parts are the names of the cell's parts, in the order of a chain.
func (c *Cell) Parts() []string {
	var names []string
	for _, role := range roles {
		if name := c.Of(role); name != "" {
			names = append(names, name)
		}
	}
	return names
}

// Conditions are the conditions of a session of the cell besides parts.
func (c *Cell) Conditions() map[string]string {
	conditions := map[string]string{}
	for _, l := range c.All {
		if !IsPart(l.Factor) {
			conditions[l.Factor] = l.Name
		}
	}
	return conditions
}

// Storage is the name of the drive or volume.
func (c *Cell) Storage() string {
	if drive := c.Of(string(book.Drive)); drive != "" {
		return drive
	}
	return c.Of(string(book.Volume))
}

// Host is the name of the host, without its port.
func (c *Cell) Host() string {
	host, _, _ := strings.Cut(c.Of(string(book.Host)), ".")
	return host
}

// Text writes levels for people: "enclosure barnacle, fan on".
func Text(levels []Level) string {
	texts := make([]string, len(levels))
	for i, l := range levels {
		texts[i] = l.Factor + " " + l.Name
	}
	return strings.Join(texts, ", ")
}

// cross gives all combinations of the factors' levels, without those that a level of
// another factor does not have.
func cross(factors []Factor) [][]Level {
	combinations := [][]Level{nil}
	for _, f := range factors {
		var next [][]Level
		for _, before := range combinations {
			if slices.ContainsFunc(f.In, func(l Level) bool { return levelOf(before, l.Factor) != l.Name }) {
				next = append(next, before)
				continue
			}
			for _, level := range f.Levels {
				next = append(next, append(slices.Clone(before), Level{f.Key, level}))
			}
		}
		combinations = next
	}
	return combinations
}

// mostCells keeps a slip in a list from asking for a year.
const mostCells = 500

// build makes the cells, and says which cannot be.
func (r *Review) build(bench book.Book) error {
	bundles := cross(r.Factors)
	if len(bundles) > mostCells {
		return fmt.Errorf("the factors make %d combinations; at most %d are allowed", len(bundles), mostCells)
	}
	if len(r.Candidates) > 0 {
		bundles = nil
		for _, c := range r.Candidates {
			bundles = append(bundles, c.Levels)
		}
	}
	for i, levels := range bundles {
		c := Cell{Levels: levels, All: append(slices.Clone(levels), r.With...)}
		var names []string
		for _, l := range levels {
			names = append(names, l.Name)
		}
		c.Name = strings.Join(names, "/")
		if len(r.Candidates) > 0 {
			c.Name = r.Candidates[i].Name
		}
		if err := r.place(&c, bench); err != nil {
			if unknown := (unknownPart{}); errors.As(err, &unknown) {
				return err
			}
			r.never = append(r.never, Impossible{c.Name, err.Error()})
			continue
		}
		c.Excluded = r.excludes(&c)
		r.cells = append(r.cells, c)
	}
	return nil
}

// excludes says why a cell cannot be the answer, by the bench book alone.
func (r *Review) excludes(c *Cell) string {
	most := r.PriceMost()
	capacity := c.Capacity()
	switch {
	case most > 0 && c.Price > most:
		return fmt.Sprintf("it costs %s, and at most %s is allowed", unit.Price(c.Price), unit.Price(most))
	case capacity > 0 && capacity < r.Decide.Must.Capacity:
		return fmt.Sprintf("it holds %s, and at least %s is asked", capacity.Decimal(), r.Decide.Must.Capacity.Decimal())
	}
	return ""
}

// PriceMost is the most that an option may cost, or 0 where nothing bounds it.
func (r *Review) PriceMost() float64 {
	must, budget := r.Decide.Must.PriceMost, r.Budget.PriceMost
	if must > 0 && budget > 0 {
		return min(must, budget)
	}
	return max(must, budget)
}

// Capacity is of the drive or volume, as far as the bench book says; else 0.
func (c *Cell) Capacity() unit.Bytes {
	for _, part := range c.Setup.Parts {
		if part.Capacity > 0 {
			return part.Capacity
		}
	}
	return 0
}

// unknownPart says that the bench book does not have a part: a mistake, and no
// combination that cannot be.
type unknownPart struct{ error }

// place puts a cell's parts together as the bench book has them.
func (r *Review) place(c *Cell, bench book.Book) error {
	seen := map[string]bool{}
	for _, l := range c.All {
		if seen[l.Factor] {
			return unknownPart{fmt.Errorf("%s: %s is said twice; a cell has one level of each", c.Name, l.Factor)}
		}
		seen[l.Factor] = true
		if err := r.checkPart(l, bench); err != nil {
			return unknownPart{err}
		}
	}
	if c.Storage() == "" {
		return unknownPart{fmt.Errorf("%s names no drive and no volume: there is nothing to measure on", c.Name)}
	}
	setup, err := bench.Resolve(strings.Join(c.Parts(), ","))
	if err != nil {
		return err
	}
	c.Setup = setup
	for _, part := range setup.Parts {
		if slices.Contains(r.Budget.Owned, part.Name) {
			continue
		}
		price := part.Costs()
		if part.Kind == book.Volume {
			price += part.PriceMonth
		}
		if price == 0 {
			c.Unpriced = append(c.Unpriced, part.Name)
		}
		c.Price += price
	}
	return r.possible(c)
}

// checkPart says whether a level can be: a part of that kind, or a condition.
func (r *Review) checkPart(l Level, bench book.Book) error {
	if !IsPart(l.Factor) {
		_, err := session.ParseConditions([]string{l.Factor + "=" + l.Name})
		return err
	}
	name, port, ported := strings.Cut(l.Name, ".")
	part, known := bench.Part(name)
	switch {
	case !known:
		return fmt.Errorf("the bench book has no %s %q; it has %s", l.Factor, name, strings.Join(bench.Names(), ", "))
	case string(part.Kind) != l.Factor:
		return fmt.Errorf("%s is a %s in the bench book, and no %s", name, part.Kind, l.Factor)
	case ported && !slices.ContainsFunc(part.Ports, func(p book.Port) bool { return p.Name == port }):
		return fmt.Errorf("the host %s has no port %q", name, port)
	}
	return nil
}

// possible says why parts cannot be together, as far as the bench book knows.
func (r *Review) possible(c *Cell) error {
	bench := factor.BenchOfParts(c.Setup.Parts)
	set := factor.Set{}
	for _, l := range c.All {
		set.Put(l.Factor, l.Name)
	}
	if fitting, can := bench.Possible(set); !can || fitting[factor.Fan] != set[factor.Fan] {
		return fmt.Errorf("the bench book says that %s cannot have fan %s", c.Of(string(book.Enclosure)), set[factor.Fan])
	}
	for _, part := range c.Setup.Parts {
		for _, other := range part.NotWith {
			if slices.ContainsFunc(c.Setup.Parts, func(p book.Part) bool { return p.Name == other }) {
				return fmt.Errorf("the bench book says that %s is not with %s", part.Name, other)
			}
		}
	}
	return connects(c.Setup.Parts, c.Of(string(book.Host)))
}

// connects reports an error where plugs from the host to the enclosure do not fit. A slower link does, and
// the drive in an enclosure is its own affair.
func connects(parts []book.Part, host string) error {
	var before book.Part
	var by link.Standard
	for _, part := range parts {
		if part.Kind == book.Drive && before.Kind == book.Enclosure || part.Kind == book.Volume {
			return nil
		}
		own := part.Link
		if part.Kind == book.Host {
			own = portOf(part, host)
		}
		if by.Name != "" && own.Name != "" && !link.SamePlug(by, own) {
			return fmt.Errorf("%s connects by %s and %s by %s: they do not fit", before.Name, by.Name, part.Name, own.Name)
		}
		before, by = part, own
	}
	return nil
}

// portOf returns the standard of a host's port of a name, or of its first.
func portOf(part book.Part, host string) link.Standard {
	_, name, _ := strings.Cut(host, ".")
	for _, port := range part.Ports {
		if name == "" || port.Name == name {
			return port.Link
		}
	}
	return link.Standard{}
}
