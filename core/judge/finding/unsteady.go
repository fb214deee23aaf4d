package finding

import (
	"fmt"
	"math"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var unsteady = Kind{
	Name:       "unsteady",
	Says:       "varied, or fell for a reason that the recording does not settle; the figure is not yet worth quoting",
	Severity:   session.Caution,
	EndsStream: true,
	Marks:      HeatTrace,
	Settles:    "repeat the pass, longer, with a temperature recorded",
	Evidence:   UnsteadyEvidence{},
}

// UnsteadyEvidence is of a mean that is hardly known, and FallEvidence of a fall
// that is not explained.
type UnsteadyEvidence struct {
	Mean unit.BytesPerSecond `json:"mean_bytes_per_second"`
	Low  unit.BytesPerSecond `json:"low_bytes_per_second"`
	High unit.BytesPerSecond `json:"high_bytes_per_second"`
}

// FallEvidence is of a fall that the recording does not explain.
type FallEvidence struct {
	Before    unit.BytesPerSecond `json:"before_bytes_per_second"`
	After     unit.BytesPerSecond `json:"after_bytes_per_second"`
	FirstDrop float64             `json:"first_drop_seconds"`
	Moved     unit.Bytes          `json:"moved_before_drop_bytes"`
	Drops     int                 `json:"drops"`
	At        *unit.Celsius       `json:"at_celsius,omitempty"`
	CooledTo  *unit.Celsius       `json:"cooled_to_celsius,omitempty"`
	worst
}

// impreciseShare is the half-width of the 95% interval, as a share of the mean,
// from which on a figure is a guess.
const impreciseShare = 0.10

// findImprecise flags passes that varied so much that their means are hardly known.
func findImprecise(s *session.Session, n unit.Notation) []session.Finding {
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
	f := unsteady.new(0.9, indexes, UnsteadyEvidence{
		Mean: worst.BytesPerSecond, Low: max(worst.Throughput.Low, 0), High: worst.Throughput.High,
	})
	f.ToSeconds = worst.ElapsedSeconds
	f.Summary = fmt.Sprintf("%s varied so much that the mean is hardly known; that of %s, %s, to within %.0f %% only.",
		numbered(passes), worst.Label(), n.Rate(worst.BytesPerSecond), share(worst)*100)
	f.Advice = "Repeat with --until-within 2% and a longer --hold, and see whether something else uses the machine."
	return []session.Finding{f}
}

// unsettled says that throughput fell for a reason that the recording does not
// settle.
func (f *fall) unsettled(fallen []slowdown) session.Finding {
	first := fallen[0]
	evidence := FallEvidence{
		Before: rate(math.Round(float64(first.before.rate))), After: rate(math.Round(float64(first.after.rate))),
		FirstDrop: first.at, Moved: first.bytes, Drops: len(fallen), worst: worstOf(f.pass),
	}
	advice := "Repeat the pass: a drop that comes back at the same byte count points to the drive's fast write area, " +
		"one at the same temperature to heat."
	if !first.known {
		advice = "No temperature was recorded. " + advice
	} else {
		evidence.At, evidence.CooledTo = &first.temperature, &first.cooledTo
	}
	if first.returns() {
		advice = "It came back without having cooled: see whether something else used the drive or the machine, " +
			"and repeat."
	}
	made := unsteady.new(0.9, []int{f.pass.Index}, evidence)
	made.FromSeconds, made.ToSeconds, made.Advice = first.at, first.after.to, advice
	made.Summary = fmt.Sprintf("Throughput fell from %s to %s after %.0f s; the recording does not settle why. "+
		"The pass's average, %s, is a mixture and not worth quoting.",
		f.n.Rate(first.before.rate), f.n.Rate(first.after.rate), first.at, f.n.Rate(f.pass.BytesPerSecond))
	made.Rejected = rejections(map[string]string{
		heatThrottle.Name: first.notHeat(f.counters), cacheExhausted.Name: first.notCache(f.pass, f.counters),
	})
	return made
}
