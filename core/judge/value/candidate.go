package value

import (
	"errors"
	"fmt"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/judge/predict"
	"opengauge/core/unit"
)

// Candidates judges what nobody measured yet: bundles of parts of the bench book, each
// written as names with a plus between, by what their makers state and what the chain lets
// through of it. All of it is marked as from ratings.
func Candidates(bundles []string, terms Terms, n unit.Notation) (Value, error) {
	value := Value{Through: terms.Through, Currency: terms.Book.Currency, Offers: []Offer{}, Steps: []Step{}}
	if len(bundles) == 0 {
		return value, errors.New("name the candidates: parts of the bench book, with a plus between those that belong " +
			"together, like dunlin+limpet")
	}
	for _, bundle := range bundles {
		offer, err := candidate(bundle, terms)
		if err != nil {
			return value, err
		}
		value.Offers = append(value.Offers, offer)
	}
	value.climb(n)
	for i := range value.Steps {
		value.Steps[i].Verdict += " From ratings: nothing was measured."
	}
	return value, nil
}

func candidate(bundle string, terms Terms) (Offer, error) {
	names := strings.Split(bundle, "+")
	offer := Offer{Label: strings.Join(names, " + "), Worths: []Worth{}, Times: []Timed{}, Sessions: []string{},
		FromRatings: true}
	for _, name := range names {
		if _, known := terms.Book.Part(name); !known {
			return offer, fmt.Errorf("the bench book has no part %q", name)
		}
	}
	text := terms.Through
	if text == "" {
		text = names[0]
	}
	setup, err := terms.Book.ResolveWith(text, names...)
	if err != nil {
		return offer, fmt.Errorf("candidate %s: %w", bundle, err)
	}
	var drive book.Part
	for _, name := range names {
		part, _ := terms.Book.Part(name)
		offer.pay(part)
		if part.Kind == book.Drive {
			drive = part
		}
	}
	if drive.Name == "" {
		return offer, fmt.Errorf("candidate %s has no drive that ratings could be of", bundle)
	}
	offer.sum(terms)
	for _, rated := range predict.FromRatings(drive, setup.Chain) {
		use, known := map[string]Use{"sequential read": Reads, "sequential write": Writes}[rated.Name]
		if !known {
			continue
		}
		expected := rated.Expected
		offer.Worths = append(offer.Worths, Worth{Use: use, Rate: rated.Likely(), HeldBy: rated.Hop, Rating: rated.Rating,
			Expected: &expected, Pass: rated.Name})
	}
	offer.price()
	return offer, nil
}
