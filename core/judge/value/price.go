package value

import (
	"cmp"
	"slices"

	"opengauge/core/bench/book"
)

// bought are the kinds of parts that an offer is made of.
func (t Terms) bought() []book.Role {
	if t.WithHost {
		return append(slices.Clone(bought), book.Host)
	}
	return bought
}

// current is a part as the bench book has it now, or else as the session knew it.
func (t Terms) current(part book.Part) book.Part {
	now, inBook := t.Book.Part(part.Name)
	if !inBook {
		return part
	}
	part.Price, part.PriceMonth = cmp.Or(now.Price, part.Price), cmp.Or(now.PriceMonth, part.PriceMonth)
	part.PriceDate, part.PriceKind = cmp.Or(now.PriceDate, part.PriceDate), cmp.Or(now.PriceKind, part.PriceKind)
	if len(now.Extras) > 0 {
		part.Extras = now.Extras
	}
	return part
}

// pay adds what a part costs, with its extras.
func (o *Offer) pay(part book.Part) {
	price := part.Price
	if part.Kind == book.Volume {
		price, o.Monthly = part.PriceMonth, true
	}
	o.Price += price + part.Costs() - part.Price
	o.Extras += part.Costs() - part.Price
	if price == 0 {
		o.Unpriced = append(o.Unpriced, part.Name)
	}
	if part.PriceDate != "" && !slices.Contains(o.PricedOn, part.PriceDate) {
		o.PricedOn = append(o.PricedOn, part.PriceDate)
		slices.Sort(o.PricedOn)
	}
	if part.PriceKind != "" && !slices.Contains(o.PriceKinds, part.PriceKind) {
		o.PriceKinds = append(o.PriceKinds, part.PriceKind)
	}
	if part.Kind == book.Drive || part.Kind == book.Volume {
		o.Capacity, o.Endurance = part.Capacity, part.Ratings.Endurance
	}
}

// sum computes what follows from all parts.
func (o *Offer) sum(terms Terms) {
	if o.Capacity > 0 && len(o.Unpriced) == 0 {
		o.PricePerTB = o.Price / (float64(o.Capacity) / 1e12)
	}
	if terms.Daily > 0 {
		const daysOfYear = 365.25
		o.Years = float64(o.Endurance) / float64(terms.Daily) / daysOfYear
	}
}

// breakEven is the price at which the dearer offer costs as much for what it does as the
// cheaper one: by steady writes where both have them, as those are what is waited for.
func (s *Step) breakEven(from, to Offer) {
	for _, use := range []Use{SteadyWrites, Writes, Reads} {
		a, knownA := from.For(use)
		b, knownB := to.For(use)
		if knownA && knownB && a.Rate > 0 && b.Rate > 0 && !a.Open && !b.Open {
			s.BreakEven, s.BreakEvenFor = from.Price*float64(b.Rate/a.Rate), string(use)
			return
		}
	}
	if from.Capacity > 0 && to.Capacity > 0 {
		s.BreakEven, s.BreakEvenFor = from.Price*float64(to.Capacity)/float64(from.Capacity), "capacity"
	}
}
