package finding

import (
	"fmt"
	"math"

	"opengauge/core/bench/book"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

const (
	// alikeLimit is how close figures of different blocks are that one limit holds.
	alikeLimit = 0.025
	// atLimit is how close a figure is to a limit that the bench book gives.
	atLimit = 0.03
	// queued is how close a latency is to what a queue in front of a limit makes.
	queued = 0.25
)

// capBound finds what limits of operations or of bytes hold: a provisioned limit
// counts operations, so that they are the same for blocks of different sizes, or
// bytes, so that those are.
func capBound(s *session.Session) []session.Finding {
	if !provisioned(s) && s.Target.Kind != string(target.Volume) {
		return nil
	}
	var found []session.Finding
	for _, counts := range []counted{operations, throughput} {
		for _, group := range grouped(s, func(p *plan.Pass) { p.Block, p.Depth, p.Operation, p.WriteShare = 0, 0, "", 0 }) {
			if f, is := heldBy(s, group, counts); is {
				found = append(found, f)
				break
			}
		}
	}
	return append(found, arrivalsHeld(s)...)
}

// counted is what a limit counts.
type counted struct {
	name string
	of   func(*session.Pass) float64
	text func(float64) string
	// known gives what the bench book says of such limits, the tightest names
	// first.
	known func(book.Part) []namedLimit
}

type namedLimit struct {
	whose string
	value float64
}

var operations = counted{
	"operations", func(p *session.Pass) float64 { return p.IOPS },
	func(v float64) string { return unit.Grouped(int64(v+0.5)) + " IOPS" },
	func(p book.Part) []namedLimit {
		return []namedLimit{{"volume", p.Limits.IOPS}, {"volume's burst", p.Limits.BurstIOPS}, {"instance", p.Instance.IOPS}}
	},
}

var throughput = counted{
	"bytes", func(p *session.Pass) float64 { return float64(p.BytesPerSecond) },
	func(v float64) string { return unit.Decimal.Rate(unit.BytesPerSecond(v)) },
	func(p book.Part) []namedLimit {
		return []namedLimit{{"volume", float64(p.Limits.Throughput)}, {"volume's burst", float64(p.Limits.BurstThroughput)}, {"instance", float64(p.Instance.Throughput)}}
	},
}

// heldBy says whether the fastest passes of a group are held to one figure of what is
// counted.
func heldBy(s *session.Session, group []*session.Pass, c counted) (session.Finding, bool) {
	fastest := greatest(group, c.of)
	var held []*session.Pass
	for _, pass := range group {
		if c.of(pass) >= c.of(fastest)*(1-alikeLimit) && pass.Depth > 1 {
			held = append(held, pass)
		}
	}
	alike := append([]*session.Pass{fastest}, held...)
	smallest := greatest(alike, func(p *session.Pass) float64 { return -float64(p.BlockBytes) })
	largest := greatest(alike, func(p *session.Pass) float64 { return float64(p.BlockBytes) })
	if len(held) < 2 || largest.BlockBytes < 2*smallest.BlockBytes {
		return session.Finding{}, false
	}
	whose := c.whose(s, c.of(fastest))
	f := session.Finding{
		Kind: "cap-bound", Severity: session.Note, Confidence: 0.9, Passes: indexesOf(held), ToSeconds: fastest.ElapsedSeconds,
		Summary: fmt.Sprintf("A limit of %s holds it: %s with blocks of %s and of %s alike%s.", c.name, c.text(c.of(fastest)), smallest.BlockBytes, largest.BlockBytes, whoseText(whose)),
		Evidence: map[string]any{
			"limit": c.name, "whose": whose, "smallest_block_bytes": float64(smallest.BlockBytes), "largest_block_bytes": float64(largest.BlockBytes), "passes_alike": len(held),
		},
		Advice: "Larger blocks move more at the same limit; more operations a second have to be bought.",
	}
	if c.name == throughput.name {
		f.Evidence["limit_bytes_per_second"] = math.Round(c.of(fastest))
		f.Advice = "More bytes a second have to be bought, of whoever sets the limit; smaller blocks and more depth change nothing."
	} else {
		f.Evidence["limit_iops"] = c.of(fastest)
	}
	if whose == "" {
		f.Confidence = 0.7
		f.Advice += " Describe the volume in the bench book (--through), so that its own limit, the instance's and the network's can be told apart."
	}
	queueing(group, held, &f)
	return f, true
}

// whose says which of the limits that the bench book gives a figure is at, or empty.
func (c counted) whose(s *session.Session, figure float64) string {
	volume, known := s.Part(book.Volume)
	if !known {
		return ""
	}
	for _, limit := range c.known(volume) {
		if limit.value > 0 && math.Abs(figure/limit.value-1) <= atLimit {
			return limit.whose
		}
	}
	if c.name == throughput.name {
		for _, hop := range s.Chain.Hops {
			if hop.Standard == volume.Standard && hop.Known() && hop.Usable.ReachedBy(unit.BytesPerSecond(figure)) {
				return "network"
			}
		}
	}
	return ""
}

func whoseText(whose string) string {
	switch whose {
	case "":
		return ""
	case "network":
		return ", which is what the network carries"
	}
	return ", which is the " + whose + "'s"
}

// queueing tells latency that a limit makes from that of a slow device: at a limit,
// operations wait in front of it, for depth over operations a second (Little,
// Operations Research 9, 1961).
func queueing(group, held []*session.Pass, f *session.Finding) {
	deepest := greatest(held, func(p *session.Pass) float64 { return float64(p.Depth * max(p.Workers, 1)) })
	waits := float64(deepest.Depth*max(deepest.Workers, 1)) / deepest.IOPS
	if math.Abs(deepest.Latency.Mean/waits-1) > queued {
		return
	}
	f.Evidence["queue_seconds"] = waits
	f.Summary += fmt.Sprintf(" The %s that an operation takes at depth %d is the queue in front of the limit", unit.Latency(deepest.Latency.Mean), deepest.Depth)
	for _, pass := range group {
		if pass.Depth == 1 && pass.BlockBytes == deepest.BlockBytes && pass.Operation == deepest.Operation && pass.IOPS < deepest.IOPS*(1-alikeLimit) {
			f.Evidence["alone_seconds"] = pass.Latency.P50
			f.Summary += fmt.Sprintf("; alone it takes %s", unit.Latency(pass.Latency.P50))
			break
		}
	}
	f.Summary += "."
}
