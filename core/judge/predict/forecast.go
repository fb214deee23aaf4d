// Package predict says what to expect of a drive in a chain that it was not
// measured in, from a session in another one. One prediction serves all who ask:
// [Expect]. It only reads sessions.
//
// Its functions may be called by several goroutines at once.
package predict

import (
	"opengauge/core/bench/link"
	"opengauge/core/judge/move"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Forecast is what to expect of each pass of a session in another chain.
type Forecast struct {
	Session string     `json:"session"`
	Name    string     `json:"name"`
	Chain   link.Chain `json:"chain"`
	Passes  []Pass     `json:"passes"`
}

// Pass is what to expect of one pass.
type Pass struct {
	Index    int                 `json:"index"`
	Label    string              `json:"label"`
	Measured unit.BytesPerSecond `json:"measured_bytes_per_second"`
	Expected link.Range          `json:"expected_bytes_per_second"`
	// Binds says what will be the limit.
	Binds Limit `json:"binds"`
	// Hop is the one that binds, where it is a hop.
	Hop string `json:"hop,omitempty"`
	// Open says that the drive could do more than its old chain let it show, so
	// that the expectation is as wide as what nobody has seen.
	Open bool `json:"open,omitempty"`
}

// Limit is what binds.
type Limit string

// The limits. A pass that waits for latency rather than for a link is bound by
// the drive at that load.
const (
	ByHop     Limit = "hop"
	ByDrive   Limit = "drive"
	ByEither  Limit = "hop or drive"
	ByUnknown Limit = "unknown"
)

const (
	// spread is what a drive's figure may differ by between two hosts that do
	// not limit it.
	spread = 0.03
)

// New says what to expect of a session's drive behind another chain.
func New(s *session.Session, chain link.Chain) Forecast {
	f := Forecast{Session: s.ID, Name: s.Name, Chain: chain, Passes: []Pass{}}
	stepped := map[session.Key]bool{} // those have no rate to expect, but times: see Amounts
	for _, c := range move.Of(s) {
		stepped[c.Key] = c.Stepped()
	}
	for i := range s.Passes {
		pass := &s.Passes[i]
		if !pass.Counts() || pass.Repeat > 0 || stepped[pass.Key()] {
			continue
		}
		f.Passes = append(f.Passes, expect(s, pass, chain))
	}
	return f
}

func expect(s *session.Session, pass *session.Pass, chain link.Chain) Pass {
	e := Expect(s, pass.Load, pass.BytesPerSecond, chain)
	return Pass{
		Index: pass.Index, Label: pass.Label(), Measured: pass.BytesPerSecond,
		Expected: e.Range, Binds: e.Binds, Hop: e.Hop, Open: e.Open,
	}
}

// Expectation is what a figure of one chain becomes in another.
type Expectation struct {
	Range link.Range
	Binds Limit
	// Hop is the one that binds, where it is a hop.
	Hop string
	// Open says that the drive could do more than its old chain let it show.
	Open bool
}

// Likely is the one figure that stands for the expectation: what was measured, the
// middle of what a hop carries, or the least where nobody knows how much more there
// is.
func (e Expectation) Likely(measured unit.BytesPerSecond) unit.BytesPerSecond {
	switch {
	case e.Open && e.Binds != ByHop:
		return e.Range.Low
	case e.Binds == ByDrive || e.Binds == ByUnknown:
		return measured
	default:
		return min(measured, (e.Range.Low+e.Range.High)/2)
	}
}

// Expect says what a figure that a session gave of a load becomes in another chain.
func Expect(s *session.Session, l load.Load, measured unit.BytesPerSecond, chain link.Chain) Expectation {
	e := Expectation{Binds: ByUnknown}
	// What the drive can do by itself: at least, and at most as far as is known.
	least, most := measured*(1-spread), measured*(1+spread)
	if wasBound(s, measured) {
		least, most, e.Open = measured, rating(s, l), true
	}
	hop, ok := chain.Binding()
	if !ok {
		e.Range = link.Range{Low: least, High: max(most, least)}
		return e
	}
	usable, _ := chain.Usable()
	if e.Open && most < least { // nobody states more
		most = max(usable.High, least)
	}
	e.Range = link.Range{Low: min(least, usable.Low), High: min(most, usable.High)}
	e.Range.High = max(e.Range.High, e.Range.Low)
	switch {
	case most <= usable.Low:
		e.Binds = ByDrive
	case least >= usable.High:
		e.Binds, e.Hop = ByHop, hop.Name
	default:
		e.Binds, e.Hop = ByEither, hop.Name
	}
	return e
}

// wasBound reports whether a load ran as fast as the narrowest hop of the chain
// that it was measured in allows.
func wasBound(s *session.Session, measured unit.BytesPerSecond) bool {
	hop, ok := s.Chain.Binding()
	return ok && hop.Usable.ReachedBy(measured)
}

// rating is what the drive's maker states of a sequential load, or 0.
func rating(s *session.Session, l load.Load) unit.BytesPerSecond {
	if l.Access != load.Sequential {
		return 0
	}
	return s.SequentialRating(l.Operation)
}
