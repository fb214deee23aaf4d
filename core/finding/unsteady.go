package finding

import (
	"fmt"
	"math"

	"opengauge/core/session"
	"opengauge/core/unit"
)

// unsteady flags a pass whose throughput fell for a reason that its recording
// does not settle: its average is a mixture of two speeds. It is silent where a
// cause was found.
func unsteady(pass *session.Pass) []session.Finding {
	fallen := drops(pass)
	if len(fallen) == 0 || len(heatThrottle(pass)) > 0 {
		return nil
	}
	first := fallen[0]
	evidence := map[string]any{
		"before_bytes_per_second": math.Round(float64(first.before.rate)),
		"after_bytes_per_second":  math.Round(float64(first.after.rate)),
		"first_drop_seconds":      first.at,
		"moved_before_drop_bytes": bytesUntil(pass, first.at),
		"drops":                   len(fallen),
	}
	advice := "Repeat the pass: a drop that comes back at the same byte count points to the drive's fast write area, one at the same temperature to heat."
	if _, known := heatOf(pass); !known {
		advice = "No temperature was recorded. " + advice
	}
	return []session.Finding{{
		Kind: "unsteady", Severity: session.Caution, Confidence: 0.9,
		Summary: fmt.Sprintf("Throughput fell from %s to %s after %.0f s; the recording does not settle why. The pass's average, %s, is a mixture and not worth quoting.",
			unit.Decimal.Rate(first.before.rate), unit.Decimal.Rate(first.after.rate), first.at, unit.Decimal.Rate(pass.BytesPerSecond)),
		Passes: []int{pass.Index}, FromSeconds: first.at, ToSeconds: first.after.to,
		Evidence: evidence, Advice: advice,
	}}
}
