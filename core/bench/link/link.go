// Package link holds what the links between a host and its storage can carry:
// link standards with their ceilings, the hops of a chain, and the hop that
// binds.
//
// Its values are only read once they were made, and may be shared by goroutines.
package link

import (
	"strings"

	"opengauge/core/unit"
)

// Range is a low and a high figure of the same quantity.
type Range struct {
	Low  unit.BytesPerSecond `json:"low"`
	High unit.BytesPerSecond `json:"high"`
}

// belowUsable is how far below its usable range a hop may run and still be the
// limit: the range is of good implementations.
const belowUsable = 0.98

// ReachedBy says whether a throughput is as much as a hop of that usable range
// may be held to.
func (r Range) ReachedBy(throughput unit.BytesPerSecond) bool {
	return throughput >= r.Low*belowUsable
}

// Ceiling is the most that a hop can carry, one way. It is zero where it is not
// known.
type Ceiling struct {
	// Line is the signalling rate of all lanes, as bytes a second.
	Line unit.BytesPerSecond `json:"line_bytes_per_second,omitzero"`
	// Payload is what remains after line coding.
	Payload unit.BytesPerSecond `json:"payload_bytes_per_second,omitzero"`
	// Usable is what remains for data after protocol overhead.
	Usable Range `json:"usable_bytes_per_second,omitzero"`
}

// State is how a link runs, or could run: its standard, its lanes and what that
// carries.
type State struct {
	Standard string `json:"standard"`
	Lanes    int    `json:"lanes,omitzero"`
	Ceiling
}

// Known says whether it is known what the link carries.
func (s State) Known() bool { return s.Line > 0 }

// Below says whether the link carries less than another, as far as both are
// known: fewer bits, or the same both ways in turns.
func (s State) Below(other State) bool {
	const rounding = 0.999
	fewer := s.Payload < other.Payload*rounding
	inTurns := s.Payload < other.Payload/rounding && s.Usable.Low < other.Usable.Low*rounding &&
		s.Usable.High <= other.Usable.High
	return s.Known() && other.Known() && (fewer || inTurns)
}

// Adapts says whether the link changes its rate by itself all the time, with how well its
// ends hear each other.
func (s State) Adapts() bool { return strings.HasPrefix(s.Standard, "wi-fi") }

// Hop is one link of a chain.
type Hop struct {
	// Name says which thing on the bench the hop belongs to: "deck port", "limpet".
	Name string `json:"name"`
	// State is what the hop runs at: the negotiated state, where it is known.
	State
	// Negotiated is what the two ends agreed on, as far as the system tells.
	Negotiated *State `json:"negotiated,omitempty"`
	// Capable is the most that both ends can do, as far as the system tells.
	Capable *State `json:"capable,omitempty"`
	// Source says who knows of the hop: "survey", "book", or nothing for one
	// that was spelled out.
	Source string `json:"source,omitempty"`
}

// Trained makes a hop that the system reports: what was negotiated, and what
// both ends could do. What is not known is the zero State.
func Trained(name string, negotiated, capable State) Hop {
	hop := Hop{Name: name, State: negotiated, Source: FromSurvey}
	if negotiated.Known() {
		hop.Negotiated = &negotiated
	}
	if capable.Known() {
		hop.Capable = &capable
	}
	return hop
}

// Who knows of a hop.
const (
	FromSurvey = "survey"
	FromBook   = "book"
)

// BothWays says whether the link carries its rate in both directions at once, as far as that
// is known of its standard: an Ethernet does, but for half duplex (IEEE 802.3, 1.4).
func (s State) BothWays() bool {
	return strings.HasPrefix(s.Standard, "ethernet") && !strings.Contains(s.Standard, "half-duplex")
}

// adapted is how much of what is possible a link that adapts its rate has to fall below to
// be worth a word: between neighbouring rates it moves by itself.
const adapted = 0.5

// Degraded says whether the hop trained below what both of its ends can do.
func (h Hop) Degraded() bool {
	if h.Negotiated == nil || h.Capable == nil {
		return false
	}
	if h.Negotiated.Adapts() {
		return h.Negotiated.Payload < h.Capable.Payload*adapted
	}
	return h.Negotiated.Below(*h.Capable)
}
