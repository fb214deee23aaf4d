package finding

import (
	"fmt"
	"strings"

	"opengauge/core/bench/link"
	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var linkDegraded = Kind{
	Name:     explain.LinkDegraded,
	Says:     "a hop trained below what both of its ends can do, or came back at a lower rate while it was measured",
	Severity: session.Caution,
	Marks:    ChainStrip,
	Settles:  "try another cable, another port and a clean connector, one at a time",
	Evidence: LinkDegradedEvidence{},
}

// LinkDegradedEvidence compares the negotiated state with the best of both ends.
type LinkDegradedEvidence struct {
	Hop            string              `json:"hop"`
	Negotiated     string              `json:"negotiated"`
	Capable        string              `json:"capable"`
	NegotiatedHigh unit.BytesPerSecond `json:"negotiated_usable_high_bytes_per_second"`
	CapableHigh    unit.BytesPerSecond `json:"capable_usable_high_bytes_per_second"`
}

// LinkFellEvidence is of a link that came back at a lower rate while it was measured.
type LinkFellEvidence struct {
	Before     unit.BytesPerSecond `json:"before_bytes_per_second"`
	BeforeLow  unit.BytesPerSecond `json:"before_low_bytes_per_second"`
	BeforeHigh unit.BytesPerSecond `json:"before_high_bytes_per_second"`
	After      unit.BytesPerSecond `json:"after_bytes_per_second"`
	AfterLow   unit.BytesPerSecond `json:"after_low_bytes_per_second"`
	AfterHigh  unit.BytesPerSecond `json:"after_high_bytes_per_second"`
	At         float64             `json:"at_seconds"`
}

// findLinkDegraded reports hops that trained below the best of both their ends.
func findLinkDegraded(s *session.Session, n unit.Notation) []session.Finding {
	var found []session.Finding
	for _, hop := range s.Chain.Hops {
		if !hop.Degraded() {
			continue
		}
		f := linkDegraded.new(0.95, allPasses(s), LinkDegradedEvidence{
			hop.Name, hop.Standard, hop.Capable.Standard, hop.Usable.High, hop.Capable.Usable.High,
		})
		f.Summary = fmt.Sprintf("%s trained as %s, but both of its ends can do %s: it carries at most %s "+
			"instead of %s.",
			hop.Name, hop.Standard, hop.Capable.Standard, n.Rate(hop.Usable.High), n.Rate(hop.Capable.Usable.High))
		f.Advice = trainBetter(hop)
		found = append(found, f)
	}
	return found
}

// trainBetter is advice to have a hop train as well as both of its ends can.
func trainBetter(hop link.Hop) string {
	switch {
	case hop.Adapts():
		return "Move the two ends nearer to each other, out of the way of what is between them, or use another " +
			"channel; where it has to be fast, use a cable."
	case strings.HasPrefix(hop.Standard, "ethernet"):
		return "Try another cable (a gigabit needs all four pairs), another port of the switch, and let both ends " +
			"negotiate by themselves, in that order, one at a time."
	}
	return "Try another cable, another port and a clean connector, in that order, one at a time; " +
		"then look whether power saving or a firmware setting holds the link down."
}
