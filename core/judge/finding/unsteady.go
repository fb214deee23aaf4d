package finding

import (
	"fmt"
	"strings"

	"opengauge/core/judge/explain"
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
	// Gain is how much the proposed test is expected to tell, in bits.
	Gain float64 `json:"expected_gain_bits,omitempty"`
	worst
}

// impreciseShare is the half-width of the 95% interval, as a share of the mean,
// from which on a figure is a guess.
const impreciseShare = 0.10

// findImprecise flags passes that varied so much that their means are hardly known.
func findImprecise(s *session.Session, n unit.Notation) []session.Finding {
	share := func(p *session.Pass) float64 {
		if p.Throughput == nil || p.BytesPerSecond <= 0 {
			return 0
		}
		return float64(p.Throughput.High-p.Throughput.Low) / 2 / float64(p.BytesPerSecond)
	}
	// Only of the few that vary so much is it asked whether a fall explains it.
	passes, indexes := passesWhere(s, func(p *session.Pass) bool { return share(p) >= impreciseShare && !falls(s, p) })
	if len(passes) == 0 {
		return nil
	}
	worst := greatest(passes, share)
	f := unsteady.new(0.9, indexes, UnsteadyEvidence{
		Mean: worst.BytesPerSecond, Low: max(worst.Throughput.Low, 0), High: worst.Throughput.High,
	})
	f.ToSeconds = worst.ElapsedSeconds
	f.Summary = fmt.Sprintf("%s varied so much that the mean is hardly known; that of %s, %s, to within %.0f %% only.",
		numberSeveral(passes), worst.Label(), n.Rate(worst.BytesPerSecond), share(worst)*100)
	f.Advice = "Repeat with --until-within 2% and a longer --hold, and see whether something else uses the machine."
	return []session.Finding{f}
}

// unsettled says that throughput changed for a reason that the recording does not
// settle, how likely each is, and which test would tell most.
func (f *fall) unsettled(a explain.Account) session.Finding {
	before, _ := levelOf(a.Before)
	after, _ := levelOf(a.After)
	evidence := FallEvidence{
		Before: before, After: after, FirstDrop: firstFall(a), Moved: unit.Bytes(a.Moved), Drops: len(a.Slow),
		At: celsius(a, a.At), CooledTo: celsius(a, a.Cooled), worst: worstOf(f.pass),
	}
	next, gain := f.verdict.Next()
	evidence.Gain = hundredths(gain)
	made := f.new(unsteady, a, evidence)
	made.Confidence = hundredths(1 - f.verdict.Healthy())
	what := fmt.Sprintf("Throughput fell from %s to %s after %.0f s", f.n.Rate(before), f.n.Rate(after),
		evidence.FirstDrop)
	if before == 0 || after >= before {
		what = "Throughput changed from level to level"
	}
	made.Summary = fmt.Sprintf("%s; the recording does not settle why: %s. "+
		"The pass's average, %s, is a mixture and not worth quoting.", what, f.shares(), f.n.Rate(f.pass.BytesPerSecond))
	if next != "" {
		made.Advice = strings.ToUpper(next[:1]) + next[1:] + "."
	}
	if a.Sensor == "" {
		made.Advice = strings.TrimSpace("No temperature was recorded. " + made.Advice)
	}
	return made
}

// shares lists the likeliest explanations.
func (f *fall) shares() string {
	const told, least = 3, 0.05
	var parts []string
	for i, each := range f.verdict.Shares {
		if i < told && each.Share >= least {
			parts = append(parts, fmt.Sprintf("%s %.0f %%", each.Explanation.Name, each.Share*100))
		}
	}
	return strings.Join(parts, ", ")
}

// falls says whether the throughput of a pass falls by as much as counts.
func falls(s *session.Session, p *session.Pass) bool {
	verdict := explain.Pass(s, p)
	return verdict.Falls()
}
