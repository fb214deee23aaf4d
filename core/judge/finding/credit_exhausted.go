package finding

import (
	"fmt"
	"math"

	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

var creditExhausted = Kind{
	Name:       explain.CreditExhausted,
	Says:       "a burst allowance ran out",
	Severity:   session.Caution,
	EndsStream: true,
	Marks:      HeatTrace,
	Settles:    "let it rest and repeat: the burst comes back in proportion to the rest",
	Evidence:   CreditExhaustedEvidence{},
}

// CreditExhaustedEvidence is of the two levels and of the bucket behind them.
type CreditExhaustedEvidence struct {
	Burst        unit.BytesPerSecond `json:"burst_bytes_per_second"`
	BurstLow     unit.BytesPerSecond `json:"burst_low_bytes_per_second,omitempty"`
	BurstHigh    unit.BytesPerSecond `json:"burst_high_bytes_per_second,omitempty"`
	Baseline     unit.BytesPerSecond `json:"baseline_bytes_per_second"`
	BaselineLow  unit.BytesPerSecond `json:"baseline_low_bytes_per_second,omitempty"`
	BaselineHigh unit.BytesPerSecond `json:"baseline_high_bytes_per_second,omitempty"`
	Lasted       float64             `json:"burst_lasted_seconds"`
	Moved        unit.Bytes          `json:"moved_in_the_burst_bytes"`
	Bucket       float64             `json:"bucket_operations,omitempty"`
	Refill       float64             `json:"refill_operations_per_second,omitempty"`
	FullAgain    float64             `json:"full_again_after_seconds,omitempty"`
	LastingShare float64             `json:"lasting_burst_share,omitempty"`
	// Left is the rest of a full bucket after ten minutes of half use.
	Left float64 `json:"left_after_600_s_at_half_use_operations,omitempty"`
}

// bucket is an allowance of burst credits: each pays for an operation, and so many are earned a second.
type bucket struct {
	// size is the number spent beyond the earned ones until it was empty.
	size, refill, burst float64
}

// bucketOf computes the bucket that a pass emptied. Spending is the excess of operations over earned credits,
// summed over the samples, so that the moment at which it ran out need not be known; the settling before the
// pass counted is added at the burst's rate.
func bucketOf(pass *session.Pass, at, until float64) bucket {
	var early, late []float64
	for _, sample := range pass.Samples {
		if sample.ElapsedSeconds <= 0 {
			continue
		}
		rate := float64(sample.Operations) / sample.ElapsedSeconds
		switch {
		case sample.TSeconds <= at*0.8:
			early = append(early, rate)
		case sample.TSeconds > (at+until)/2 && sample.TSeconds <= until:
			late = append(late, rate)
		}
	}
	if len(early) == 0 || len(late) == 0 {
		return bucket{}
	}
	b := bucket{burst: stat.Median(early), refill: stat.Median(late)}
	b.size = (b.burst - b.refill) * pass.SettleSeconds
	for _, sample := range pass.Samples {
		if sample.TSeconds <= until {
			b.size += float64(sample.Operations) - b.refill*sample.ElapsedSeconds
		}
	}
	return b
}

// creditExhausted says that a burst allowance ran out, and describes the bucket.
func (f *fall) creditExhausted(a explain.Account) session.Finding {
	at := firstFall(a)
	until := a.Slow[0].ToSeconds
	b := bucketOf(f.pass, at, until)
	burst, burstRange := levelOf(a.Before)
	base, baseRange := levelOf(a.After)
	evidence := CreditExhaustedEvidence{
		Burst: burst, BurstLow: burstRange.low, BurstHigh: burstRange.high,
		Baseline: base, BaselineLow: baseRange.low, BaselineHigh: baseRange.high,
		Lasted: at, Moved: unit.Bytes(a.Moved),
	}
	summary := fmt.Sprintf("Throughput held %s for %.0f s and then %s, both as level as a limit holds them: a "+
		"burst allowance ran out.", f.n.Rate(burst), at, f.n.Rate(base))
	if b.size > 0 && b.refill > 0 {
		full := b.size / b.refill
		duty := b.refill / b.burst
		evidence.Bucket, evidence.Refill, evidence.FullAgain, evidence.LastingShare = math.Round(b.size), b.refill,
			full, duty
		evidence.Left = math.Round(creditsLeft(b, 0.5, 600))
		summary += fmt.Sprintf(" The bucket holds about %s operations, earns %s a second, and is full again after "+
			"%s of rest; "+
			"it lasts for ever if no more than %.0f %% of the time is burst.",
			unit.Grouped(int64(b.size+0.5)), unit.Grouped(int64(b.refill+0.5)), unit.Span(unit.Duration(full)),
			duty*100)
	}
	made := f.new(creditExhausted, a, evidence)
	made.Summary = summary
	made.Advice = "Let it rest for as long as the bucket takes to fill, and repeat: the burst comes back in " +
		"proportion to the rest."
	return made
}

// creditsLeft is how many credits a full bucket has after so long at a duty, the
// share of the time in which the burst is used: it earns all the time, and spends at
// the burst's rate.
func creditsLeft(b bucket, duty, seconds float64) float64 {
	return min(max(b.size+(b.refill-b.burst*duty)*seconds, 0), b.size)
}
