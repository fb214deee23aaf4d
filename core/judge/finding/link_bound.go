package finding

import (
	"fmt"
	"math"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/judge/explain"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

const (
	// plateauShare is how close to the fastest pass others have to be to stand on
	// the same plateau.
	plateauShare = 0.97
)

var linkBound = Kind{
	Name:     "link-bound",
	Says:     "a hop of the chain is the limit; names it",
	Severity: session.Note,
	Weighty:  true,
	Marks:    ChainStrip,
	Settles:  "measure it through a wider hop",
	Evidence: LinkBoundEvidence{},
}

// LinkBoundEvidence is the hop and the plateau within its ceiling. Hops that are nearly as narrow stand
// beside it as "rival NAME".
type LinkBoundEvidence struct {
	Hop         string              `json:"hop"`
	Standard    string              `json:"hop_standard"`
	UsableLow   unit.BytesPerSecond `json:"usable_low_bytes_per_second"`
	UsableHigh  unit.BytesPerSecond `json:"usable_high_bytes_per_second"`
	Fastest     unit.BytesPerSecond `json:"fastest_bytes_per_second"`
	OfUsable    float64             `json:"of_usable_high_share"`
	Passes      int                 `json:"passes_on_the_plateau"`
	Shapes      int                 `json:"shapes_on_the_plateau"`
	Spread      float64             `json:"plateau_spread_share"`
	DriveRating unit.BytesPerSecond `json:"drive_rating_bytes_per_second,omitempty"`
}

// findLinkBound finds a session whose fastest passes are alike, whatever their block size, depth, access or
// direction, and within the ceiling of the chain's narrowest hop. A drive's own limit seldom is the same for
// all of them.
func findLinkBound(s *session.Session, n unit.Notation) []session.Finding {
	whole, _ := passesWhere(s, func(p *session.Pass) bool { return p.Counts() && !p.Scheduled() })
	if len(whole) == 0 {
		return nil
	}
	oneWay := func(p *session.Pass) float64 { return float64(p.BytesPerSecond) }
	if binding, ok := s.Chain.Binding(); ok {
		oneWay = func(p *session.Pass) float64 { return float64(rateThrough(binding, p)) }
	}
	fastest := greatest(whole, oneWay)
	suspects := suspectHops(s.Chain, unit.BytesPerSecond(oneWay(fastest)))
	if len(suspects) == 0 {
		return nil
	}
	hop := suspects[0]
	if book.IsLimit(hop) && len(findCapBound(s, n)) > 0 {
		return nil // that says it better
	}
	plateau, indexes := passesWhere(s, func(p *session.Pass) bool {
		return p.Counts() && !p.Scheduled() && rateThrough(hop, p) >= rateThrough(hop, fastest)*plateauShare
	})
	evidence := LinkBoundEvidence{
		Hop: hop.Name, Standard: hop.Standard, UsableLow: hop.Usable.Low, UsableHigh: hop.Usable.High,
		Fastest:  rate(math.Round(float64(fastest.BytesPerSecond))),
		OfUsable: float64(fastest.BytesPerSecond / hop.Usable.High),
		Passes:   len(plateau), Shapes: shapes(plateau), Spread: 1 - plateauShare, DriveRating: ratedAlike(s, fastest),
	}
	confidence := hundredths(linkProbability(plateau))
	if evidence.DriveRating > 0 {
		confidence = min(confidence, ratedThere)
	}
	kind := linkBound
	if book.IsLimit(hop) {
		kind = capBound
	}
	limit := "The limit is"
	if confidence < explain.Named {
		limit = "The limit may be"
	}
	who, rivals := nameAll(suspects)
	f := kind.new(confidence, indexes, evidence)
	f.Evidence = f.Evidence.With(rivals)
	f.ToSeconds = fastest.ElapsedSeconds
	f.Advice = plateauAdvice(hop, evidence)
	f.Summary = fmt.Sprintf("%s %s: %s ran at %s, within the %s %s that it carries.", limit, who,
		plateauText(plateau, fastest),
		n.Rate(fastest.BytesPerSecond), n.Between(hop.Usable.Low, hop.Usable.High), n.Unit())
	return []session.Finding{f}
}

// nameAll names the hops that may be it, and gives the rivals of the first by name.
func nameAll(suspects []link.Hop) (who string, rivals map[string]any) {
	who = fmt.Sprintf("%s (%s)", suspects[0].Name, suspects[0].Standard)
	rivals = map[string]any{}
	for _, rival := range suspects[1:] {
		who += fmt.Sprintf(" or %s (%s)", rival.Name, rival.Standard)
		rivals["rival "+rival.Name] = rival.Standard
	}
	if len(suspects) > 1 {
		who += ", which are nearly as narrow as each other"
	}
	return who, rivals
}

func plateauAdvice(hop link.Hop, evidence LinkBoundEvidence) string {
	advice := "A faster drive buys nothing in this chain. To see what the drive can do, measure it through a wider hop."
	switch {
	case evidence.DriveRating > 0:
		advice = "The drive is rated at nearly the same, so it could be the drive as well: " +
			"measure it through a wider hop, or another drive through this one."
	case book.IsLimit(hop):
		advice = "More has to be bought of that limit. Measure several block sizes to see whether it counts " +
			"operations or bytes."
	}
	if evidence.Passes < 2 {
		advice = "One pass alone may be alike by chance: measure other block sizes and depths too. " + advice
	}
	return advice
}

// suspectHops are the narrowest hop of a chain and others nearly as narrow, as far as a throughput is within
// their ceilings.
func suspectHops(chain link.Chain, throughput unit.BytesPerSecond) []link.Hop {
	binding, ok := chain.Binding()
	if !ok {
		return nil
	}
	var suspects []link.Hop
	for _, hop := range append([]link.Hop{binding}, chain.Rivals()...) {
		if hop.Usable.ReachedBy(throughput) && throughput <= hop.Payload*aboveCeiling {
			suspects = append(suspects, hop)
		}
	}
	return suspects
}

// shapes counts how many different loads passes are.
func shapes(passes []*session.Pass) int {
	seen := map[session.Key]bool{}
	for _, p := range passes {
		seen[p.Key()] = true
	}
	return len(seen)
}

const (
	// designed is how often the own limit of the device behind a hop lies within the hop's ceiling: drives
	// are made for links. ratedThere is the most that is said where the drive's maker says that it does.
	designed, ratedThere = 0.3, 0.5
	// heldAlike is how often one more kind of load is as fast as the others behind a limit,
	// aloneAlike the same of a drive's own limit, for another operation and for the same.
	heldAlike, aloneAlike, readsAlike = 0.9, 0.3, 0.6
)

// linkProbability is how likely a plateau within a hop's ceiling is the hop's, beside the own limit of the
// device behind it: both are equally likely before, and each further kind of load on the plateau speaks for
// the hop.
func linkProbability(plateau []*session.Pass) float64 {
	hop := 1.0
	drive := designed
	operations := map[load.Operation]bool{}
	seen := map[session.Key]bool{}
	for _, p := range plateau {
		if seen[p.Key()] {
			continue
		}
		if len(seen) > 0 {
			hop *= heldAlike
			if operations[p.Operation] {
				drive *= readsAlike
			} else {
				drive *= aloneAlike
			}
		}
		seen[p.Key()] = true
		operations[p.Operation] = true
	}
	return min(hop/(hop+drive), 0.99)
}

func plateauText(plateau []*session.Pass, fastest *session.Pass) string {
	if len(plateau) < 2 {
		return fastest.Label()
	}
	return fmt.Sprintf("%s of %s, %s the fastest,", numberSeveral(plateau), unit.Count(shapes(plateau), "kind"),
		fastest.Label())
}

// ratedAlike is the drive's rating for a pass, where it is within a twentieth of the measured rate: then the
// link and the drive cannot be told apart.
func ratedAlike(s *session.Session, pass *session.Pass) unit.BytesPerSecond {
	rating := s.SequentialRating(pass.Operation)
	if rating > 0 && math.Abs(float64(pass.BytesPerSecond/rating)-1) < 0.05 {
		return rating
	}
	return 0
}
