package finding

import (
	"fmt"
	"math"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

const (
	// stillRising is the least exponent by which throughput grows with depth,
	// over the last two depths, that means that more depth would give more: 1 is
	// in proportion, 0 is flat.
	stillRising = 0.7
	// halfSure is the exponent at which it is as likely as not that more depth gives more,
	// and sureness how quickly that changes.
	halfSure, sureness = 0.55, 0.1
	// nearCeiling is the share of the narrowest hop's ceiling from which on the hop, and not latency, is the
	// limit.
	nearCeiling = 0.9
)

var latencyBound = Kind{
	Name:     "latency-bound",
	Says:     "more queue depth would give more",
	Severity: session.Note,
	Marks:    DepthMap,
	Settles:  "measure greater depths",
	Evidence: LatencyBoundEvidence{},
}

// LatencyBoundEvidence is of the load that rises most with depth.
type LatencyBoundEvidence struct {
	Depth    int                 `json:"depth"`
	Rate     unit.BytesPerSecond `json:"bytes_per_second"`
	Latency  float64             `json:"latency_mean_seconds"`
	Exponent float64             `json:"rises_with_depth_to_the_power"`
	Block    unit.Bytes          `json:"block_bytes"`
	Fills    float64             `json:"depth_that_fills_the_hop,omitempty"`
	Hop      string              `json:"hop,omitempty"`
}

// findLatencyBound finds loads whose throughput still rises with the queue depth at
// the greatest that was measured: the storage waits for work. By Little's law,
// depth = throughput x latency / block, it says which depth would fill the
// narrowest hop.
func findLatencyBound(s *session.Session, n unit.Notation) []session.Finding {
	var worst *session.Pass
	var exponent float64
	indexes := []int{}
	hop, bound := s.Chain.Binding()
	for _, ladder := range depthLadders(s) {
		last := ladder[len(ladder)-1]
		before := ladder[len(ladder)-2]
		rise := math.Log(float64(last.BytesPerSecond/before.BytesPerSecond)) /
			math.Log(float64(last.Depth)/float64(before.Depth))
		if bound && last.BytesPerSecond >= hop.Usable.Low*nearCeiling || rise < stillRising {
			continue
		}
		indexes = append(indexes, last.Index)
		if worst == nil || rise > exponent {
			worst = last
			exponent = rise
		}
	}
	if worst == nil {
		return nil
	}
	latency := worst.Latency.Mean
	evidence := LatencyBoundEvidence{
		Depth: worst.Depth, Rate: rate(math.Round(float64(worst.BytesPerSecond))), Latency: latency,
		Exponent: exponent, Block: worst.Block,
	}
	filling := ""
	if bound && latency > 0 {
		evidence.Fills = math.Ceil(float64(hop.Usable.High) * latency / float64(worst.Block))
		evidence.Hop = hop.Name
		filling = fmt.Sprintf(" If latency stayed at %s, a depth of %.0f would fill %s (%s x %s / %s).",
			unit.Latency(latency),
			evidence.Fills, hop.Name, n.Rate(hop.Usable.High), unit.Latency(latency), worst.Block)
	}
	// The less it bends, the surer.
	f := latencyBound.new(hundredths(1/(1+math.Exp(-(exponent-halfSure)/sureness))), indexes, evidence)
	f.ToSeconds = worst.ElapsedSeconds
	f.Summary = fmt.Sprintf("%s still rises with depth: %s at depth %d is not the most that the storage gives.%s",
		worst.Shape(),
		n.Rate(worst.BytesPerSecond), worst.Depth, filling)
	f.Advice = "Measure greater depths, or say with the figure at which depth it holds."
	return []session.Finding{f}
}

// depthLadders gives the passes that differ in depth alone, shallow to deep, of
// loads with at least two depths.
func depthLadders(s *session.Session) [][]*session.Pass {
	var found [][]*session.Pass
	for _, ladder := range groupsWithoutRate(s, func(k *session.Key) { k.Load.Depth = 0 }) {
		slices.SortStableFunc(ladder, func(a, b *session.Pass) int { return a.Depth - b.Depth })
		ladder = slices.CompactFunc(ladder, func(a, b *session.Pass) bool { return a.Depth == b.Depth })
		if len(ladder) > 1 {
			found = append(found, ladder)
		}
	}
	return found
}
