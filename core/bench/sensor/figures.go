package sensor

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
)

// selected is a figure with its selector in a source, which is a column, a metric, a field, or a group of a
// pattern, and with the scale of its numbers.
type selected struct {
	Figure
	selector string
	scale    scale
}

// figures lists the figures of one source.
type figures []selected

// list gives the figures themselves, and the power that follows from a voltage and a
// current of one name.
func (f figures) list() []Figure {
	all := make([]Figure, 0, len(f)+1)
	for _, each := range f {
		all = append(all, each.Figure)
	}
	for _, derived := range f.products() {
		all = append(all, derived.power)
	}
	return all
}

// product is a power that follows from a voltage and a current.
type product struct {
	power          Figure
	volts, amperes string
}

func (f figures) products() []product {
	var found []product
	for _, volts := range f {
		for _, amperes := range f {
			both := volts.Quantity == Voltage && amperes.Quantity == Current && volts.Name == amperes.Name
			if !both || f.has(volts.Name, Power) {
				continue
			}
			power, err := newFigure(volts.Name, Power)
			if err == nil {
				found = append(found, product{power, volts.Key, amperes.Key})
			}
		}
	}
	return found
}

func (f figures) has(name, quantity string) bool {
	for _, each := range f {
		if each.Name == name && each.Quantity == quantity {
			return true
		}
	}
	return false
}

// reading reads all figures, where value returns the number at a selector.
func (f figures) reading(value func(selector string) (float64, error)) (Reading, error) {
	return f.readingWith(func(selector string) (number float64, unit string, err error) {
		number, err = value(selector)
		return number, "", err
	})
}

// readingWith reads all figures, where value returns the number at a selector and the unit that the source
// writes with it, or "". Figures that cannot be believed are left out and reported; the others are read.
func (f figures) readingWith(value func(selector string) (float64, string, error)) (Reading, error) {
	var made Reading
	var failed []error
	for _, each := range f {
		number, unit, err := value(each.selector)
		if err == nil {
			number, err = each.base(number, unit)
		}
		if err == nil {
			err = each.enter(number, &made)
		}
		if err != nil {
			failed = append(failed, err)
		}
	}
	for _, p := range f.products() {
		volts, there := made.Values[p.volts]
		amperes, both := made.Values[p.amperes]
		if !there || !both {
			continue
		}
		if err := p.power.enter(volts*amperes, &made); err != nil {
			failed = append(failed, err)
		}
	}
	return made, errors.Join(failed...)
}

// ordinal reads a selector that counts from 1.
func ordinal(selector string) (at int, ok bool) {
	at, err := strconv.Atoi(selector)
	return at, err == nil && at > 0
}

// parseFigures parses "[NAME[:QUANTITY]=]SELECTOR" items with ";" between them. The name and
// quantity before the whole probe apply to a single item.
func parseFigures(text, name, quantity string) (figures, error) {
	var found figures
	seen := map[string]bool{}
	for item := range strings.SplitSeq(text, ";") {
		own := name
		ownQuantity := quantity
		selector := item
		if before, after, named := strings.Cut(item, "="); named {
			own, ownQuantity, _ = strings.Cut(before, ":")
			selector = after
		}
		if own == "" {
			own = selector
		}
		if selector == "" && text != onlyNumber || strings.ContainsAny(own, "=;") {
			return nil, errors.New("it names no figure between its signs")
		}
		figure, by, err := newScaled(own, ownQuantity)
		if err != nil {
			return nil, err
		}
		if seen[figure.Key] {
			return nil, fmt.Errorf("two of its figures are called %q; give each a name", own)
		}
		seen[figure.Key] = true
		found = append(found, selected{figure, selector, by})
	}
	return found, nil
}
