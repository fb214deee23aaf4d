// Package link holds what the links between a host and its storage can carry:
// link standards with their ceilings, the hops of a chain, and the hop that
// binds.
package link

import "opengauge/core/unit"

// Range is a low and a high figure of the same quantity.
type Range struct {
	Low  unit.BytesPerSecond `json:"low"`
	High unit.BytesPerSecond `json:"high"`
}

// Ceiling is the most that a hop can carry, one way.
type Ceiling struct {
	// Line is the signalling rate of all lanes, as bytes a second.
	Line unit.BytesPerSecond `json:"line_bytes_per_second"`
	// Payload is what remains after line coding.
	Payload unit.BytesPerSecond `json:"payload_bytes_per_second"`
	// Usable is what remains for data after protocol overhead.
	Usable Range `json:"usable_bytes_per_second"`
}

// Hop is one link of a chain.
type Hop struct {
	// Name says which thing on the bench the hop belongs to: "deck port", "limpet".
	Name     string `json:"name"`
	Standard string `json:"standard"`
	Lanes    int    `json:"lanes"`
	Ceiling
}

// Chain is the ordered path from host to storage.
type Chain struct {
	Hops []Hop `json:"hops"`
	// BindingHop is the index of the hop with the lowest usable ceiling, or -1
	// where no hop is known.
	BindingHop int `json:"binding_hop"`
}

// NewChain orders hops from the host to the storage and finds the one that binds.
func NewChain(hops ...Hop) Chain {
	chain := Chain{Hops: append([]Hop{}, hops...), BindingHop: -1}
	for at, hop := range hops {
		if chain.BindingHop < 0 || hop.Usable.High < hops[chain.BindingHop].Usable.High {
			chain.BindingHop = at
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
