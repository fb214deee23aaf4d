package value

import (
	"opengauge/core/bench/link"
	"opengauge/core/judge/compare"
	"opengauge/core/judge/energy"
	"opengauge/core/judge/move"
	"opengauge/core/judge/predict"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Use is what an offer is judged for.
type Use string

// The uses.
const (
	Reads        Use = "reads"
	Writes       Use = "writes"
	SteadyWrites Use = "steady writes"
	FullReads    Use = "full-drive reads"
)

// Uses lists them.
var Uses = []Use{Reads, Writes, SteadyWrites, FullReads}

// Worth is what an offer does for one use.
type Worth struct {
	Use  Use                 `json:"use"`
	Rate unit.BytesPerSecond `json:"bytes_per_second"`
	// Price is for each MB/s, or 0.
	Price float64 `json:"price_per_megabyte_per_second"`
	// BytesPerJoule is 0 where power was not recorded; in MB it is MB/s a watt.
	BytesPerJoule float64 `json:"bytes_per_joule,omitempty"`
	// HeldBy is the hop that holds it to that, where one does.
	HeldBy string `json:"held_by,omitempty"`
	// Rating is what the maker states, or 0.
	Rating unit.BytesPerSecond `json:"rating_bytes_per_second,omitempty"`
	// Expected is what another chain is expected to let through, where that was
	// asked, and Open says that the drive may do more than was seen of it.
	Expected *link.Range `json:"expected_bytes_per_second,omitempty"`
	Open     bool        `json:"open,omitempty"`
	// Session and Pass are where it comes from.
	Session string `json:"session"`
	Pass    string `json:"pass"`

	load load.Load
}

// JoulesPerGB is the energy to move 10^9 bytes, or 0.
func (w Worth) JoulesPerGB() float64 {
	if w.BytesPerJoule == 0 {
		return 0
	}
	return float64(unit.GB) / w.BytesPerJoule
}

// worthOf gives what a session shows of a use.
func worthOf(s *session.Session, use Use, levels map[session.Key][]move.Phase) (Worth, bool) {
	var best Worth
	found := false
	loads := compare.LoadsOf(s)
	for _, key := range loads.Order {
		asked := key.Load
		if key.IsCopy() || asked.Scheduled() || asked.CompressibleShare > 0 || asked.Access != load.Sequential &&
			!isVolume(s) {
			continue
		}
		figure := loads.Figures[key]
		pass := s.PassAt(figure.Passes[0])
		worth := Worth{Use: use, Rate: figure.Rate, Session: s.DisplayName(),
			Pass: key.String(), load: asked, BytesPerJoule: bytesPerJoule(s, pass)}
		if phases := levels[key]; len(phases) > 0 { // its mean is that of no state
			worth.Rate = phases[0].Rate
		}
		better := !found || worth.Rate > best.Rate
		switch use {
		case Reads:
			better = better && asked.Operation == load.Read && key.Fill < nearlyFull
		case Writes:
			better = better && asked.Operation == load.Write && key.Fill < nearlyFull
		case FullReads:
			better = asked.Operation == load.Read && key.Fill >= nearlyFull && (!found || worth.Rate < best.Rate)
		case SteadyWrites:
			worth.Rate = steadyRate(pass)
			if phases := levels[key]; len(phases) > 0 {
				worth.Rate = phases[len(phases)-1].Rate
			}
			better = asked.Operation == load.Write && worth.Rate > 0 && (!found || worth.Rate < best.Rate)
		}
		if better {
			best, found = worth, true
		}
	}
	if use == Reads || use == Writes {
		best.Rating = s.SequentialRating(map[Use]load.Operation{Reads: load.Read, Writes: load.Write}[use])
	}
	return best, found
}

// levelsOf are the levels of those loads that go down for good.
func levelsOf(s *session.Session) map[session.Key][]move.Phase {
	levels := map[session.Key][]move.Phase{}
	for _, c := range move.Of(s) {
		if c.Stepped() {
			levels[c.Key] = c.Phases
		}
	}
	return levels
}

// steadyRate is what a long write came down to: its steady state where that was
// judged, or else the mean of its second half; 0 of a pass that is too short.
func steadyRate(pass *session.Pass) unit.BytesPerSecond {
	if pass.Steady != nil && pass.Steady.Steady {
		return unit.BytesPerSecond(pass.Steady.Mean)
	}
	if key := pass.Key(); !key.Load.Sustained {
		return 0 // by what was asked, however long it took
	}
	bytes, seconds := 0.0, 0.0
	for _, sample := range pass.Samples {
		if sample.TSeconds > pass.ElapsedSeconds/2 {
			bytes, seconds = bytes+float64(sample.Bytes), seconds+sample.ElapsedSeconds
		}
	}
	if seconds == 0 {
		return 0
	}
	return unit.BytesPerSecond(bytes / seconds)
}

// bytesPerJoule is what a pass moved for the energy it took, or 0 where that is not known.
func bytesPerJoule(s *session.Session, pass *session.Pass) float64 {
	draw, known := energy.OfStorage(s, pass)
	if !known {
		return 0
	}
	bytes, _ := draw.BytesPerJoule()
	return bytes
}

// in is what a figure becomes in a chain: the one that it was measured in, or
// another one.
func (w *Worth) in(chain link.Chain, s *session.Session, other bool) {
	if other {
		e := predict.Expect(s, w.load, w.Rate, chain)
		w.Expected = &e.Range
		w.Open = e.Open && e.Binds != predict.ByHop && e.Range.High > e.Range.Low*(1+hiddenShare)
		w.Rate = e.Likely(w.Rate)
		if w.Open {
			return // more may come through than was seen, so nothing is known to hold it
		}
	}
	if hop, ok := chain.Binding(); ok && hop.Usable.ReachedBy(w.Rate) {
		w.HeldBy = hop.Name
	}
}

// Text is a figure with its unit, or the range of one of which nobody has seen all.
func (w Worth) Text(n unit.Notation) string {
	if w.Open && w.Expected != nil && w.Expected.High > w.Expected.Low {
		return n.Between(w.Expected.Low, w.Expected.High) + " " + n.Unit()
	}
	return n.Rate(w.Rate)
}
