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

var sharedHop = Kind{
	Name:     "shared-hop",
	Says:     "two devices on one hop take from each other",
	Severity: session.Caution,
	Weighty:  true,
	Marks:    CopyMatrix,
	Settles:  "repeat with one of them on another port",
	Evidence: SharedHopEvidence{},
}

// SharedHopEvidence is the throughput of targets together, and the hop that they share.
type SharedHopEvidence struct {
	Together    unit.BytesPerSecond `json:"together_bytes_per_second"`
	LargestLoss float64             `json:"largest_loss_share"`
	Contention  int                 `json:"contention"`
	Hop         string              `json:"hop,omitempty"`
	HopHigh     unit.BytesPerSecond `json:"hop_usable_high_bytes_per_second,omitempty"`
}

// findSharedHop finds that targets take from each other when they are used at once,
// and the hop that they share.
func findSharedHop(s *session.Session, n unit.Notation) []session.Finding {
	var found []session.Finding
	if s.Together != nil { // hosts have no hop in common that could be another: see judge/crowd
		return nil
	}
	for i := range s.Contentions {
		c := &s.Contentions[i]
		worst, sum, texts := losses(c, n)
		if worst < leastLoss || len(c.Members) < 2 {
			continue
		}
		evidence := SharedHopEvidence{Together: rate(math.Round(float64(sum))), LargestLoss: worst, Contention: c.Index}
		hop, shared := hopOfAll(c.Members)
		carries := n.Between(hop.Usable.Low, hop.Usable.High) + " " + n.Unit()
		if shared {
			evidence.Hop = hop.Name
		}
		var confidence float64
		var summary, advice string
		switch {
		case shared && hop.Usable.ReachedBy(sum):
			confidence = 0.9
			evidence.HopHigh = hop.Usable.High
			summary = fmt.Sprintf("%s is shared: at once the targets get %s, together %s of the %s that it carries.",
				hop.Name, texts, n.Rate(sum), carries)
			advice = "Use another port of the host for one of them, or do not use them at once."
		case shared:
			confidence = 0.6
			summary = fmt.Sprintf("The targets take from each other: %s. They share %s, which could carry %s and "+
				"is not full.",
				texts, hop.Name, carries)
			advice = "Look whether the hop trained as it should, and whether the host keeps up."
		default:
			confidence = 0.5
			summary = fmt.Sprintf("The targets take from each other: %s. Nothing is known of a hop that they share.",
				texts)
			advice = "Say what is on the bench with --through, or repeat it with one of them on another port."
		}
		f := sharedHop.new(confidence, []int{}, evidence)
		f.Summary = summary
		f.Advice = advice
		found = append(found, f)
	}
	return found
}

// losses returns the largest share that a member loses to the others, their sum together, and the rate of
// each, in words. A member that nobody measured alone loses nothing.
func losses(c *session.Contention, n unit.Notation) (worst float64, sum unit.BytesPerSecond, words string) {
	var texts []string
	for i := range c.Members {
		m := &c.Members[i]
		sum += m.Together.BytesPerSecond
		if m.Alone.BytesPerSecond == 0 {
			continue
		}
		worst = max(worst, m.Loss())
		texts = append(texts, fmt.Sprintf("%s %s instead of %s", m.Address, n.Rate(m.Together.BytesPerSecond),
			n.Rate(m.Alone.BytesPerSecond)))
	}
	return worst, sum, strings.Join(texts, ", ")
}

// hopOfAll gives the narrowest hop that the chains of all members have.
func hopOfAll(members []session.Member) (link.Hop, bool) {
	best, ok := sharedHopOf(members[0].Chain, members[1].Chain)
	for i := 2; i < len(members) && ok; i++ {
		best, ok = sharedHopOf(link.NewChain(best), members[i].Chain)
	}
	return best, ok
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
				best = hop
				found = true
			}
		}
	}
	return best, found
}
