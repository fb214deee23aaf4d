// Package value says what the money buys: what each drive with its case and cable does
// for its price, in the chain where it was measured or in another one. It only reads
// sessions.
//
// Its functions may be called by several goroutines at once.
package value

import (
	"cmp"
	"errors"
	"slices"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Value is what the money buys.
type Value struct {
	// Through is the chain that the figures are for, or empty for that in which
	// each was measured.
	Through string `json:"through,omitempty"`
	// Simulated says whether any of the sessions is.
	Simulated bool `json:"simulated"`
	// Currency is that of all prices, or empty where the book does not say.
	Currency string  `json:"currency,omitempty"`
	Offers   []Offer `json:"offers"`
	Steps    []Step  `json:"steps"`
}

// Terms are what value is asked.
type Terms struct {
	// Book has prices and chains; where it does not know a part, the session's own
	// copy counts.
	Book book.Book
	// Through are parts of another chain to judge in, or empty.
	Through string
	// WithHost counts the host's price too.
	WithHost bool
	// Daily is how much is written a day, or 0.
	Daily unit.Bytes
	// Amounts are those whose times are asked for.
	Amounts []unit.Bytes
}

const (
	// nearlyFull is the fill level from which on reads are those of a full drive.
	nearlyFull = 0.75
	// buysNothing is the share below which a gain is none.
	buysNothing = 0.03
	// hiddenShare is how much more a drive may do than was seen of it for that to
	// be told.
	hiddenShare = 0.1
)

// Of judges what sessions show by what their parts cost. Sessions of the same
// chain count together.
func Of(sessions []*session.Session, terms Terms, n unit.Notation) (Value, error) {
	value := Value{Through: terms.Through, Currency: terms.Book.Currency, Offers: []Offer{}, Steps: []Step{}}
	groups, order := map[string][]*session.Session{}, []string{}
	for _, s := range sessions {
		label := offerLabel(s)
		// Of copies between more than two ends no single one is what was bought.
		if label == "" || len(s.Passes) == 0 && len(s.Ends) != 2 {
			continue
		}
		value.Simulated = value.Simulated || s.Simulated
		if groups[label] == nil {
			order = append(order, label)
		}
		groups[label] = append(groups[label], s)
	}
	if len(order) == 0 {
		return value, errors.New("no session has passes on a drive or volume of the bench book; measure with " +
			"--through, and a bench book that has prices")
	}
	for _, label := range order {
		offer, err := offerOf(label, groups[label], terms)
		if err != nil {
			return value, err
		}
		value.Offers = append(value.Offers, offer)
	}
	value.climb(n)
	return value, nil
}

// climb puts the offers in order of their prices, with the steps between them.
func (v *Value) climb(n unit.Notation) {
	slices.SortStableFunc(v.Offers, func(a, b Offer) int {
		if a.Monthly != b.Monthly {
			return map[bool]int{false: -1, true: 1}[a.Monthly]
		}
		return cmp.Compare(a.Price, b.Price)
	})
	for i := 1; i < len(v.Offers); i++ {
		if from, to := v.Offers[i-1], v.Offers[i]; from.Monthly == to.Monthly && len(from.Unpriced) == 0 &&
			len(to.Unpriced) == 0 {
			v.Steps = append(v.Steps, stepOf(from, to, n))
		}
	}
}

// Priced says whether the price of any offer is known.
func (v Value) Priced() bool {
	return slices.ContainsFunc(v.Offers, func(o Offer) bool { return len(o.Unpriced) == 0 })
}
