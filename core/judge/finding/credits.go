package finding

import (
	"fmt"
	"math"

	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// bucket is what a pass tells of burst credits: each pays for an operation, and so
// many are earned a second.
type bucket struct {
	// size is what was spent beyond what was earned until it was empty.
	size, refill, burst float64
}

// bucketOf computes the bucket that a pass emptied. What was spent is the excess of
// operations over what is earned, summed over the samples, so that the moment at
// which it ran out need not be known; the settling before the pass counted is added
// at the burst's rate.
func bucketOf(pass *session.Pass, d slowdown) bucket {
	var early, late []float64
	for _, sample := range pass.Samples {
		if sample.ElapsedSeconds <= 0 {
			continue
		}
		rate := float64(sample.Operations) / sample.ElapsedSeconds
		switch {
		case sample.TSeconds <= d.at*0.8:
			early = append(early, rate)
		case sample.TSeconds > (d.at+d.after.to)/2 && sample.TSeconds <= d.after.to:
			late = append(late, rate)
		}
	}
	if len(early) == 0 || len(late) == 0 {
		return bucket{}
	}
	b := bucket{burst: stat.Median(early), refill: stat.Median(late)}
	b.size = (b.burst - b.refill) * pass.SettleSeconds
	for _, sample := range pass.Samples {
		if sample.TSeconds <= d.after.to {
			b.size += float64(sample.Operations) - b.refill*sample.ElapsedSeconds
		}
	}
	return b
}

// creditFinding says that a burst allowance ran out, and what the bucket is.
func creditFinding(pass *session.Pass, d slowdown, confidence float64) session.Finding {
	b := bucketOf(pass, d)
	f := session.Finding{
		Kind: "credit-exhausted", Severity: session.Caution, Confidence: confidence,
		Summary: fmt.Sprintf("Throughput held %s for %.0f s and then %s, both as level as a limit holds them: a burst allowance ran out.",
			unit.Decimal.Rate(d.before.rate), d.at, unit.Decimal.Rate(d.after.rate)),
		Passes: []int{pass.Index}, FromSeconds: d.at, ToSeconds: d.after.to,
		Evidence: map[string]any{
			"burst_bytes_per_second": math.Round(float64(d.before.rate)), "baseline_bytes_per_second": math.Round(float64(d.after.rate)),
			"burst_lasted_seconds": d.at, "moved_in_the_burst_bytes": d.bytes,
		},
		Rejected: rejections(map[string]string{"heat-throttle": "both levels are flat, and there is no temperature"}),
		Advice:   "Let it rest for as long as the bucket takes to fill, and repeat: the burst comes back in proportion to the rest.",
	}
	if b.size <= 0 || b.refill <= 0 {
		return f
	}
	full, duty := b.size/b.refill, b.refill/b.burst
	f.Evidence["bucket_operations"], f.Evidence["refill_operations_per_second"] = math.Round(b.size), b.refill
	f.Evidence["full_again_after_seconds"], f.Evidence["lasting_burst_share"] = full, duty
	f.Evidence["left_after_600_s_at_half_use_operations"] = math.Round(creditsLeft(b, 0.5, 600))
	f.Summary += fmt.Sprintf(" The bucket holds about %s operations, earns %s a second, and is full again after %s of rest; it lasts for ever if no more than %.0f %% of the time is burst.",
		unit.Grouped(int64(b.size+0.5)), unit.Grouped(int64(b.refill+0.5)), unit.Span(unit.Duration(full)), duty*100)
	return f
}

// creditsLeft is how many credits a full bucket has after so long at a duty, the
// share of the time in which the burst is used: it earns all the time, and spends at
// the burst's rate.
func creditsLeft(b bucket, duty, seconds float64) float64 {
	return min(max(b.size+(b.refill-b.burst*duty)*seconds, 0), b.size)
}
