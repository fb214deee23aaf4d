package finding

import (
	"fmt"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// linkDegraded reports hops that trained below what both of their ends can do.
func linkDegraded(s *session.Session) []session.Finding {
	var found []session.Finding
	for _, hop := range s.Chain.Hops {
		if !hop.Degraded() {
			continue
		}
		found = append(found, session.Finding{
			Kind: "link-degraded", Severity: session.Caution, Confidence: 0.95, Passes: allPasses(s),
			Summary: fmt.Sprintf("%s trained as %s, but both of its ends can do %s: it carries at most %s instead of %s.", hop.Name, hop.Standard, hop.Capable.Standard,
				unit.Decimal.Rate(hop.Usable.High), unit.Decimal.Rate(hop.Capable.Usable.High)),
			Evidence: map[string]any{
				"hop": hop.Name, "negotiated": hop.Standard, "capable": hop.Capable.Standard,
				"negotiated_usable_high_bytes_per_second": float64(hop.Usable.High), "capable_usable_high_bytes_per_second": float64(hop.Capable.Usable.High),
			},
			Advice: "Try another cable, another port and a clean connector, in that order, one at a time; then look whether power saving or a firmware setting holds the link down.",
		})
	}
	return found
}
