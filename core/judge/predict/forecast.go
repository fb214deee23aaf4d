// Package predict says what to expect of a drive in a chain that it was not
// measured in, from a session in another one.
package predict

import (
	"opengauge/core/bench/link"
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
	for at := range s.Passes {
		pass := &s.Passes[at]
		if pass.CutShort || pass.BytesPerSecond <= 0 || pass.Repeat > 0 {
			continue
		}
		f.Passes = append(f.Passes, expect(s, pass, chain))
	}
	return f
}

func expect(s *session.Session, pass *session.Pass, chain link.Chain) Pass {
	made := Pass{Index: pass.Index, Label: pass.Label(), Measured: pass.BytesPerSecond, Binds: ByUnknown}
	// What the drive can do by itself: at least, and at most as far as is known.
	least, most := pass.BytesPerSecond*(1-spread), pass.BytesPerSecond*(1+spread)
	if wasBound(s, pass) {
		least, most, made.Open = pass.BytesPerSecond, rating(s, pass), true
	}
	hop, known := chain.Binding()
	if !known {
		made.Expected = link.Range{Low: least, High: max(most, least)}
		return made
	}
	usable, _ := chain.Usable()
	if made.Open && most < least { // nobody states more
		most = max(usable.High, least)
	}
	made.Expected = link.Range{Low: min(least, usable.Low), High: min(most, usable.High)}
	made.Expected.High = max(made.Expected.High, made.Expected.Low)
	switch {
	case most <= usable.Low:
		made.Binds = ByDrive
	case least >= usable.High:
		made.Binds, made.Hop = ByHop, hop.Name
	default:
		made.Binds, made.Hop = ByEither, hop.Name
	}
	return made
}

// wasBound says whether a pass ran as fast as the narrowest hop of the chain
// that it was measured in allows.
func wasBound(s *session.Session, pass *session.Pass) bool {
	hop, known := s.Chain.Binding()
	return known && hop.Usable.ReachedBy(pass.BytesPerSecond)
}

// rating is what the drive's maker states of a sequential pass, or 0.
func rating(s *session.Session, pass *session.Pass) unit.BytesPerSecond {
	if pass.Access != load.Sequential {
		return 0
	}
	return s.SequentialRating(pass.Operation)
}
