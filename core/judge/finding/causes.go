package finding

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// heatFinding says that the drive slowed itself because of heat.
func heatFinding(pass *session.Pass, h heat, hot []slowdown, confidence float64, counters slowdownCounts) session.Finding {
	first, last := hot[0], hot[len(hot)-1]
	slow, cycles, spans := 0.0, 0, []session.Span{}
	for _, d := range hot {
		end := d.after.to
		if d.returns() {
			end = d.returned.from
		}
		slow += end - d.at
		spans = append(spans, session.Span{FromSeconds: d.at, ToSeconds: end})
		if d.cycle() {
			cycles++
		}
	}
	share := slow / pass.Samples[len(pass.Samples)-1].TSeconds
	evidence := map[string]any{
		"fast_bytes_per_second": math.Round(float64(first.before.rate)), "slow_bytes_per_second": math.Round(float64(first.after.rate)),
		"first_drop_seconds": first.at, "moved_before_drop_bytes": first.bytes, "drops": len(hot), "drops_with_recovery": cycles,
		"time_slow_seconds": slow, "time_slow_share": share,
	}
	addWorst(pass, evidence)
	where := ""
	if first.known {
		where = fmt.Sprintf(", when the %s was at %s", h.sensor, first.temperature)
		evidence["sensor"], evidence["throttle_at_celsius"] = h.sensor, first.temperature
		evidence["start_celsius"], evidence["highest_celsius"] = h.values[0], h.highest()
	}
	if first.returns() {
		evidence["recovered_after_seconds"] = first.returned.from - first.at
	}
	came := " It did not come back within the pass."
	if first.cycle() {
		evidence["resume_at_celsius"] = first.cooledTo
		came = fmt.Sprintf(" It came back at %s, after %.0f s.", first.cooledTo, first.returned.from-first.at)
	} else if first.returns() {
		came = " It came back by itself, again and again."
	}
	if counters.grown > 0 {
		evidence["slowdowns_counted_by_the_drive"] = int(counters.grown)
	}
	advice := "Cool it better (a fan, a case that carries heat away) and repeat the pass: if heat is the cause, the drop comes later or not at all."
	if !first.known {
		advice = "No temperature was recorded; the regular coming and going is that of a threshold. Record one (--probe), or repeat with a fan."
	}
	return session.Finding{
		Kind: "heat-throttle", Severity: session.Caution, Confidence: confidence,
		Summary: fmt.Sprintf("Throughput fell from %s to %s after %.0f s%s.%s Slow for %.0f %% of the pass.",
			unit.Decimal.Rate(first.before.rate), unit.Decimal.Rate(first.after.rate), first.at, where, came, share*100),
		Passes: []int{pass.Index}, FromSeconds: first.at, ToSeconds: spans[len(spans)-1].ToSeconds, Spans: spans,
		Evidence: evidence, Rejected: rejections(map[string]string{"cache-exhausted": last.notCache(pass, counters)}), Advice: advice,
	}
}

// cacheFinding says that the fast write area was full.
func cacheFinding(pass *session.Pass, d slowdown, counters slowdownCounts) session.Finding {
	evidence := map[string]any{
		"fast_bytes_per_second": math.Round(float64(d.before.rate)), "slow_bytes_per_second": math.Round(float64(d.after.rate)),
		"first_drop_seconds": d.at, "fast_area_bytes": d.bytes,
	}
	addWorst(pass, evidence)
	confidence, warm := 0.9, ""
	if d.known {
		evidence["at_celsius"], evidence["cooled_to_celsius"] = d.temperature, d.cooledTo
		warm = fmt.Sprintf(" It was not heat: %s.", d.notHeat(counters))
	} else {
		confidence = 0.75
	}
	return session.Finding{
		Kind: "cache-exhausted", Severity: session.Caution, Confidence: confidence,
		Summary: fmt.Sprintf("Writes fell from %s to %s after %s, and stayed there: the fast write area is full.%s", unit.Decimal.Rate(d.before.rate),
			unit.Decimal.Rate(d.after.rate), d.bytes.Capacity(), warm),
		Passes: []int{pass.Index}, FromSeconds: d.at, ToSeconds: d.after.to, Evidence: evidence,
		Rejected: rejections(map[string]string{"heat-throttle": d.notHeat(counters)}),
		Advice:   "Let it rest and repeat the pass: if the write area is the cause, the drop comes at the same byte count, or earlier on a fuller drive.",
	}
}

// unsettled says that throughput fell for a reason that the recording does not
// settle.
func unsettled(pass *session.Pass, fallen []slowdown, counters slowdownCounts) session.Finding {
	first := fallen[0]
	evidence := map[string]any{
		"before_bytes_per_second": math.Round(float64(first.before.rate)), "after_bytes_per_second": math.Round(float64(first.after.rate)),
		"first_drop_seconds": first.at, "moved_before_drop_bytes": first.bytes, "drops": len(fallen),
	}
	addWorst(pass, evidence)
	advice := "Repeat the pass: a drop that comes back at the same byte count points to the drive's fast write area, one at the same temperature to heat."
	if !first.known {
		advice = "No temperature was recorded. " + advice
	} else {
		evidence["at_celsius"], evidence["cooled_to_celsius"] = first.temperature, first.cooledTo
	}
	if first.returns() {
		advice = "It came back without having cooled: see whether something else used the drive or the machine, and repeat."
	}
	return session.Finding{
		Kind: "unsteady", Severity: session.Caution, Confidence: 0.9,
		Summary: fmt.Sprintf("Throughput fell from %s to %s after %.0f s; the recording does not settle why. The pass's average, %s, is a mixture and not worth quoting.",
			unit.Decimal.Rate(first.before.rate), unit.Decimal.Rate(first.after.rate), first.at, unit.Decimal.Rate(pass.BytesPerSecond)),
		Passes: []int{pass.Index}, FromSeconds: first.at, ToSeconds: first.after.to, Evidence: evidence, Advice: advice,
		Rejected: rejections(map[string]string{"heat-throttle": first.notHeat(counters), "cache-exhausted": first.notCache(pass, counters)}),
	}
}

// rejections lists the causes that were looked at and why they are not it, in the
// order of their names.
func rejections(why map[string]string) []session.Rejection {
	var rejected []session.Rejection
	for cause, reason := range why {
		if reason != "" {
			rejected = append(rejected, session.Rejection{Kind: cause, Why: reason})
		}
	}
	slices.SortFunc(rejected, func(a, b session.Rejection) int { return strings.Compare(a.Kind, b.Kind) })
	return rejected
}

// addWorst adds the slowest second of a pass, and what all but the slowest
// hundredth of its seconds reached.
func addWorst(pass *session.Pass, evidence map[string]any) {
	var rates []float64
	for _, sample := range pass.Samples {
		rates = append(rates, float64(sample.BytesPerSecond))
	}
	slices.Sort(rates)
	if len(rates) >= 100 {
		evidence["p1_bytes_per_second"] = math.Round(rates[len(rates)/100])
	}
	if len(rates) > 0 {
		evidence["worst_sample_bytes_per_second"] = math.Round(rates[0])
	}
}

// bytesUntil is how much a pass had moved by a time.
func bytesUntil(pass *session.Pass, at float64) unit.Bytes {
	var bytes unit.Bytes
	for _, sample := range pass.Samples {
		if sample.TSeconds > at+1e-9 {
			break
		}
		bytes += sample.Bytes
	}
	return bytes
}
