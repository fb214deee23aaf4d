package link

import (
	"fmt"
	"strings"
)

// Chain is the ordered path from host to storage.
type Chain struct {
	// Name is what the bench book calls the chain, or empty.
	Name string `json:"name,omitempty"`
	Hops []Hop  `json:"hops"`
	// BindingHop is the index of the hop with the lowest usable ceiling, or -1
	// where no hop's is known.
	BindingHop int `json:"binding_hop"`
	// Contradictions are what the bench book says otherwise than the system.
	Contradictions []string `json:"contradictions,omitempty"`
}

// nearlyAlike is how close the usable ceilings of two hops are that cannot be
// told apart by what was measured: the spread of usable ranges is wider.
const nearlyAlike = 0.05

// NewChain orders hops from the host to the storage and finds the one that binds.
func NewChain(hops ...Hop) Chain {
	chain := Chain{Hops: append([]Hop{}, hops...), BindingHop: -1}
	for i, hop := range hops {
		if hop.Known() && (chain.BindingHop < 0 || hop.Usable.High < hops[chain.BindingHop].Usable.High) {
			chain.BindingHop = i
		}
	}
	return chain
}

// Binding gives the hop with the lowest usable ceiling, and whether there is one.
func (c Chain) Binding() (Hop, bool) {
	if c.BindingHop < 0 || c.BindingHop >= len(c.Hops) {
		return Hop{}, false
	}
	return c.Hops[c.BindingHop], true
}

// Rivals are the other hops whose ceilings are too close to that of the binding
// hop for a measurement to tell which of them binds.
func (c Chain) Rivals() []Hop {
	binding, ok := c.Binding()
	if !ok {
		return nil
	}
	var rivals []Hop
	for i, hop := range c.Hops {
		if i != c.BindingHop && hop.Known() && hop.Usable.High <= binding.Usable.High*(1+nearlyAlike) {
			rivals = append(rivals, hop)
		}
	}
	return rivals
}

// Usable is what data can get through the whole chain: the least of its hops'
// low and high figures, and whether any is known.
func (c Chain) Usable() (Range, bool) {
	var usable Range
	known := false
	for _, hop := range c.Hops {
		if !hop.Known() {
			continue
		}
		if !known {
			usable = hop.Usable
		}
		usable = Range{Low: min(usable.Low, hop.Usable.Low), High: min(usable.High, hop.Usable.High)}
		known = true
	}
	return usable, known
}

// Separator stands between the hops of a chain that is written in one line.
const Separator = ">"

// ParseChain reads hops written in one line, from the host to the storage:
// "pcie 4.0 x4 > usb4 40g > pcie 3.0 x4". A hop may be named: "deck: usb4 40g".
func ParseChain(text string) (Chain, error) {
	var hops []Hop
	for number, part := range strings.Split(text, Separator) {
		name, standard, named := strings.Cut(part, ":")
		if !named {
			name, standard = fmt.Sprintf("hop %d", number+1), part
		}
		if strings.TrimSpace(standard) == "" {
			return Chain{}, fmt.Errorf("hop %d of the chain %q is empty; write hops with %q between them", number+1,
				text, Separator)
		}
		found, err := Find(standard)
		if err != nil {
			return Chain{}, fmt.Errorf("hop %d: %w", number+1, err)
		}
		hops = append(hops, found.Hop(strings.TrimSpace(name)))
	}
	return NewChain(hops...), nil
}
