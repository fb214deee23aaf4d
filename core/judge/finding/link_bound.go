package finding

import (
	"fmt"
	"math"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

const (
	// plateauShare is how close to the fastest pass others have to be to stand on
	// the same plateau.
	plateauShare = 0.97
)

// linkBound finds a session whose fastest passes are alike, whatever their block
// size, depth, access or direction, and within what the narrowest hop of the
// chain carries. A drive's own limit seldom is the same for all of them.
func linkBound(s *session.Session) []session.Finding {
	whole, _ := passesWhere(s, func(p *session.Pass) bool { return !p.CutShort && p.RatePerSecond == 0 && p.BytesPerSecond > 0 })
	if len(whole) == 0 {
		return nil
	}
	fastest := greatest(whole, func(p *session.Pass) float64 { return float64(p.BytesPerSecond) })
	suspects := suspectHops(s.Chain, fastest.BytesPerSecond)
	if len(suspects) == 0 {
		return nil
	}
	hop := suspects[0]
	if isLimit(hop) && len(capBound(s)) > 0 {
		return nil // that says it better
	}
	plateau, indexes := passesWhere(s, func(p *session.Pass) bool {
		return !p.CutShort && p.RatePerSecond == 0 && p.BytesPerSecond >= fastest.BytesPerSecond*plateauShare
	})
	evidence := map[string]any{
		"hop": hop.Name, "hop_standard": hop.Standard, "usable_low_bytes_per_second": float64(hop.Usable.Low), "usable_high_bytes_per_second": float64(hop.Usable.High),
		"fastest_bytes_per_second": math.Round(float64(fastest.BytesPerSecond)), "of_usable_high_share": float64(fastest.BytesPerSecond / hop.Usable.High),
		"passes_on_the_plateau": len(plateau), "shapes_on_the_plateau": shapes(plateau), "plateau_spread_share": 1 - plateauShare,
	}
	finding := session.Finding{
		Kind: "link-bound", Severity: session.Note, Passes: indexes, ToSeconds: fastest.ElapsedSeconds, Evidence: evidence,
		Confidence: linkConfidence(shapes(plateau), len(plateau)),
	}
	who := fmt.Sprintf("%s (%s)", hop.Name, hop.Standard)
	for _, rival := range suspects[1:] {
		who += fmt.Sprintf(" or %s (%s)", rival.Name, rival.Standard)
		evidence["rival "+rival.Name] = rival.Standard
		finding.Confidence = min(finding.Confidence, 0.8)
	}
	if len(suspects) > 1 {
		who += ", which are nearly as narrow as each other"
	}
	limit := "The limit is"
	if finding.Confidence < 0.7 || ratedAlike(s, fastest) > 0 {
		limit = "The limit may be"
	}
	finding.Summary = fmt.Sprintf("%s %s: %s ran at %s, within the %s %s that it carries.", limit, who, plateauText(plateau, fastest),
		unit.Decimal.Rate(fastest.BytesPerSecond), unit.Decimal.Between(hop.Usable.Low, hop.Usable.High), unit.Decimal.Unit())
	finding.Advice = "A faster drive buys nothing in this chain. To see what the drive can do, measure it through a wider hop."
	if isLimit(hop) {
		finding.Kind = "cap-bound"
		finding.Advice = "More has to be bought of that limit. Measure several block sizes to see whether it counts operations or bytes."
	}
	if rating := ratedAlike(s, fastest); rating > 0 {
		evidence["drive_rating_bytes_per_second"] = float64(rating)
		finding.Confidence = min(finding.Confidence, 0.5)
		finding.Advice = "The drive is rated at nearly the same, so it could be the drive as well: measure it through a wider hop, or another drive through this one."
	}
	if len(plateau) < 2 {
		finding.Advice = "One pass alone may be alike by chance: measure other block sizes and depths too. " + finding.Advice
	}
	return []session.Finding{finding}
}

// isLimit says whether a hop is a provisioned limit, and no link.
func isLimit(hop link.Hop) bool {
	return hop.Standard == book.ProvisionedLimit || hop.Standard == book.InstanceLimit
}

// suspectHops are the narrowest hop of a chain and those nearly as narrow, as far
// as a throughput is within what they carry.
func suspectHops(chain link.Chain, throughput unit.BytesPerSecond) []link.Hop {
	binding, known := chain.Binding()
	if !known {
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
	seen := map[plan.Pass]bool{}
	for _, p := range passes {
		seen[p.Asked()] = true
	}
	return len(seen)
}

func linkConfidence(shapes, passes int) float64 {
	switch {
	case shapes >= 4:
		return 0.95
	case shapes >= 2:
		return 0.9
	case passes >= 2:
		return 0.75
	default:
		return 0.6
	}
}

func plateauText(plateau []*session.Pass, fastest *session.Pass) string {
	if len(plateau) < 2 {
		return fastest.Label()
	}
	return fmt.Sprintf("%s of %s, %s the fastest,", numbered(plateau), plural(shapes(plateau), "kind"), fastest.Label())
}

// ratedAlike is the drive's rating for a pass, where it is within a twentieth of
// what was measured: then the link and the drive cannot be told apart.
func ratedAlike(s *session.Session, pass *session.Pass) unit.BytesPerSecond {
	rating := s.SequentialRating(pass.Operation)
	if rating > 0 && math.Abs(float64(pass.BytesPerSecond/rating)-1) < 0.05 {
		return rating
	}
	return 0
}
