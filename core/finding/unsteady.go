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

// impreciseShare is the half-width of the 95% interval, as a share of the mean,
// from which on a figure is a guess.
const impreciseShare = 0.10

// imprecise flags passes that varied so much that their means are hardly known.
func imprecise(s *session.Session) []session.Finding {
	share := func(p *session.Pass) float64 {
		if p.Throughput == nil || p.BytesPerSecond <= 0 || len(drops(p)) > 0 {
			return 0
		}
		return float64(p.Throughput.High-p.Throughput.Low) / 2 / float64(p.BytesPerSecond)
	}
	passes, indexes := passesWhere(s, func(p *session.Pass) bool { return share(p) >= impreciseShare })
	if len(passes) == 0 {
		return nil
	}
	worst := greatest(passes, share)
	return []session.Finding{{
		Kind: "unsteady", Severity: session.Caution, Confidence: 0.9, Passes: indexes, ToSeconds: worst.ElapsedSeconds,
		Summary: fmt.Sprintf("%s varied so much that the mean is hardly known; that of %s, %s, to within %.0f %% only.",
			numbered(passes), worst.Label(), unit.Decimal.Rate(worst.BytesPerSecond), share(worst)*100),
		Evidence: map[string]any{
			"mean_bytes_per_second": float64(worst.BytesPerSecond), "low_bytes_per_second": float64(max(worst.Throughput.Low, 0)),
			"high_bytes_per_second": float64(worst.Throughput.High),
		},
		Advice: "Repeat with --until-within 2% and a longer --hold, and see whether something else uses the machine.",
	}}
}
