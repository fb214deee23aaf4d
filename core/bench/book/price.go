package book

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"opengauge/core/document"
)

// Extra is something that has to be bought with a part: a sled, a power supply, postage.
type Extra struct {
	Name  string  `json:"name"`
	Price float64 `json:"price"`
}

// PriceKinds are the kinds of prices.
var PriceKinds = []string{"list", "street", "offer", "used", "paid"}

// Costs is the price of a part with its extras.
func (p *Part) Costs() float64 {
	sum := p.Price
	for _, extra := range p.Extras {
		sum += extra.Price
	}
	return sum
}

func (p *Part) addExtra(entry document.Entry) error {
	price, err := document.Value(entry.Value, parsePrice)
	p.Extras = append(p.Extras, Extra{entry.Key, price})
	return err
}

func parsePriceKind(text string) (string, error) {
	if !slices.Contains(PriceKinds, text) {
		return "", fmt.Errorf("unknown kind of price %q; use %s", text, strings.Join(PriceKinds, ", "))
	}
	return text, nil
}

// ParseDate reads a day, as quotes and prices have it: "2026-05-01".
func ParseDate(text string) (string, error) {
	if _, err := time.Parse(time.DateOnly, text); err != nil {
		return "", fmt.Errorf("%q is no day; write one like 2026-05-01", text)
	}
	return text, nil
}

func parseCurrency(text string) (string, error) {
	if len([]rune(text)) > 3 || strings.TrimSpace(text) == "" || strings.ContainsAny(text, "0123456789") {
		return "", fmt.Errorf("%q is no currency; write its code or sign, like EUR", text)
	}
	return text, nil
}
