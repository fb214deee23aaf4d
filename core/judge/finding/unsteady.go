package finding

import (
	"fmt"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

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
