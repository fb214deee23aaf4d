package finding

import (
	"fmt"
	"math"
	"slices"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

const (
	// stillRising is the least exponent by which throughput grows with depth,
	// over the last two depths, that means that more depth would give more: 1 is
	// in proportion, 0 is flat.
	stillRising = 0.7
	// nearCeiling is the share of what the narrowest hop carries from which on
	// it, and not latency, is what is left.
	nearCeiling = 0.9
)

// latencyBound finds loads whose throughput still rises with the queue depth at
// the greatest that was measured: the storage waits for work. By Little's law,
// depth = throughput x latency / block, it says which depth would fill the
// narrowest hop.
func latencyBound(s *session.Session) []session.Finding {
	var worst *session.Pass
	var exponent float64
	indexes := []int{}
	for _, ladder := range depthLadders(s) {
		last, before := ladder[len(ladder)-1], ladder[len(ladder)-2]
		rise := math.Log(float64(last.BytesPerSecond/before.BytesPerSecond)) / math.Log(float64(last.Depth)/float64(before.Depth))
		if hop, known := s.Chain.Binding(); known && last.BytesPerSecond >= hop.Usable.Low*nearCeiling || rise < stillRising {
			continue
		}
		indexes = append(indexes, last.Index)
		if worst == nil || rise > exponent {
			worst, exponent = last, rise
		}
	}
	if worst == nil {
		return nil
	}
	latency := worst.Latency.Mean
	evidence := map[string]any{
		"depth": worst.Depth, "bytes_per_second": math.Round(float64(worst.BytesPerSecond)), "latency_mean_seconds": latency,
		"rises_with_depth_to_the_power": exponent, "block_bytes": float64(worst.BlockBytes),
	}
	filling := ""
	if hop, known := s.Chain.Binding(); known && latency > 0 {
		depth := math.Ceil(float64(hop.Usable.High) * latency / float64(worst.BlockBytes))
		evidence["depth_that_fills_the_hop"], evidence["hop"] = depth, hop.Name
		filling = fmt.Sprintf(" If latency stayed at %s, a depth of %.0f would fill %s (%s x %s / %s).", unit.Latency(latency), depth, hop.Name,
			unit.Decimal.Rate(hop.Usable.High), unit.Latency(latency), worst.BlockBytes)
	}
	return []session.Finding{{
		Kind: "latency-bound", Severity: session.Note, Confidence: 0.9, Passes: indexes, ToSeconds: worst.ElapsedSeconds, Evidence: evidence,
		Summary: fmt.Sprintf("%s still rises with depth: %s at depth %d is not the most that the storage gives.%s", loadText(worst),
			unit.Decimal.Rate(worst.BytesPerSecond), worst.Depth, filling),
		Advice: "Measure greater depths, or say with the figure at which depth it holds.",
	}}
}

// depthLadders gives the passes that differ in depth alone, shallow to deep, of
// loads with at least two depths.
func depthLadders(s *session.Session) [][]*session.Pass {
	var found [][]*session.Pass
	for _, ladder := range grouped(s, func(p *plan.Pass) { p.Depth = 0 }) {
		slices.SortStableFunc(ladder, func(a, b *session.Pass) int { return a.Depth - b.Depth })
		ladder = slices.CompactFunc(ladder, func(a, b *session.Pass) bool { return a.Depth == b.Depth })
		if len(ladder) > 1 {
			found = append(found, ladder)
		}
	}
	return found
}

// loadText names a load without its depth.
func loadText(p *session.Pass) string {
	return fmt.Sprintf("%s %s %s", p.Operation, p.Access, p.BlockBytes)
}
