package finding

import (
	"fmt"
	"math"
	"strings"

	"opengauge/core/bench/link"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

const (
	// leastLoss is the share that a target has to lose to another to matter.
	leastLoss = 0.05
)

// sharedHop finds that targets take from each other when they are used at once, and
// the hop that they share.
func sharedHop(s *session.Session) []session.Finding {
	var found []session.Finding
	for at := range s.Contentions {
		c := &s.Contentions[at]
		worst, sum := 0.0, unit.BytesPerSecond(0)
		var texts []string
		for member := range c.Members {
			m := &c.Members[member]
			sum += m.Together.BytesPerSecond
			if m.Alone.BytesPerSecond == 0 { // nobody knows what it gave alone
				continue
			}
			worst = max(worst, m.Loss())
			texts = append(texts, fmt.Sprintf("%s %s instead of %s", m.Address, unit.Decimal.Rate(m.Together.BytesPerSecond), unit.Decimal.Rate(m.Alone.BytesPerSecond)))
		}
		if worst < leastLoss || len(c.Members) < 2 {
			continue
		}
		f := session.Finding{
			Kind: "shared-hop", Severity: session.Caution, Confidence: 0.9, Passes: []int{},
			Evidence: map[string]any{"together_bytes_per_second": math.Round(float64(sum)), "largest_loss_share": worst, "contention": float64(c.Index)},
		}
		hop, shared := hopOfAll(c.Members)
		switch {
		case shared && hop.Usable.ReachedBy(sum):
			f.Evidence["hop"], f.Evidence["hop_usable_high_bytes_per_second"] = hop.Name, float64(hop.Usable.High)
			f.Summary = fmt.Sprintf("%s is shared: at once the targets get %s, together %s of the %s MB/s that it carries.", hop.Name, strings.Join(texts, ", "),
				unit.Decimal.Rate(sum), unit.Decimal.Between(hop.Usable.Low, hop.Usable.High))
			f.Advice = "Use another port of the host for one of them, or do not use them at once."
		case shared:
			f.Confidence = 0.6
			f.Evidence["hop"] = hop.Name
			f.Summary = fmt.Sprintf("The targets take from each other: %s. They share %s, which could carry %s MB/s and is not full.", strings.Join(texts, ", "), hop.Name,
				unit.Decimal.Between(hop.Usable.Low, hop.Usable.High))
			f.Advice = "Look whether the hop trained as it should, and whether the host keeps up."
		default:
			f.Confidence = 0.5
			f.Summary = fmt.Sprintf("The targets take from each other: %s. Nothing is known of a hop that they share.", strings.Join(texts, ", "))
			f.Advice = "Say what is on the bench with --through, or repeat it with one of them on another port."
		}
		found = append(found, f)
	}
	return found
}

// hopOfAll gives the narrowest hop that the chains of all members have.
func hopOfAll(members []session.Member) (link.Hop, bool) {
	best, found := sharedHopOf(members[0].Chain, members[1].Chain)
	for at := 2; at < len(members) && found; at++ {
		best, found = sharedHopOf(link.NewChain(best), members[at].Chain)
	}
	return best, found
}

// sharedHopOf gives the narrowest hop that two chains share: hops are the same if
// they have the same name and run at the same rate.
func sharedHopOf(a, b link.Chain) (link.Hop, bool) {
	var best link.Hop
	found := false
	for _, hop := range a.Hops {
		for _, other := range b.Hops {
			// What nobody named is named after what it is, and no particular one.
			same := hop.Source != "" && hop.Name == other.Name && hop.Standard == other.Standard && hop.Known()
			if same && (!found || hop.Usable.High < best.Usable.High) {
				best, found = hop, true
			}
		}
	}
	return best, found
}
