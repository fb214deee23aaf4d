package finding

import (
	"fmt"
	"math"
	"slices"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

const (
	// alikeLimit is how close figures of different blocks are that one limit holds.
	alikeLimit = 0.025
	// atLimit is how close a figure is to a limit that the bench book gives.
	atLimit = 0.03
	// queued is how close a latency is to the delay of a queue in front of a limit.
	queued = 0.25
)

var capBound = Kind{
	Name:     "cap-bound",
	Says:     "a provisioned limit holds it: of operations, or of bytes",
	Severity: session.Note,
	Weighty:  true,
	Marks:    ChainStrip,
	Settles:  "measure several block sizes: a limit of operations is the same for all of them",
	Evidence: CapBoundEvidence{},
}

// CapBoundEvidence is the limit, whose it is, and how it was seen.
type CapBoundEvidence struct {
	Limit           string              `json:"limit"`
	Whose           string              `json:"whose"`
	LimitRate       unit.BytesPerSecond `json:"limit_bytes_per_second,omitempty"`
	LimitIOPS       float64             `json:"limit_iops,omitempty"`
	SmallestBlock   unit.Bytes          `json:"smallest_block_bytes,omitempty"`
	LargestBlock    unit.Bytes          `json:"largest_block_bytes,omitempty"`
	PassesAlike     int                 `json:"passes_alike,omitempty"`
	QueueSeconds    float64             `json:"queue_seconds,omitempty"`
	AloneSeconds    float64             `json:"alone_seconds,omitempty"`
	BelowTheSeconds float64             `json:"below_the_limit_seconds,omitempty"`
}

// findCapBound finds limits of operations or of bytes: a provisioned limit counts operations, so that they
// are the same for blocks of different sizes, or bytes, so that those are.
func findCapBound(s *session.Session, n unit.Notation) []session.Finding {
	if !provisioned(s) && s.Target.Kind != string(target.Volume) {
		return nil
	}
	var found []session.Finding
	unlike := func(k *session.Key) { k.Load.Block, k.Load.Depth, k.Load.Operation, k.Load.WriteShare = 0, 0, "", 0 }
	for _, counts := range []counted{operations, throughput} {
		for _, group := range groupsWithoutRate(s, unlike) {
			if f, ok := counts.hold(s, group, n); ok {
				found = append(found, f)
				break
			}
		}
	}
	return append(found, arrivalsHeld(s, n)...)
}

// counted is the unit that a limit counts.
type counted struct {
	name string
	of   func(*session.Pass) float64
	text func(unit.Notation, float64) string
	// known returns such limits of the bench book, the tightest names first.
	known func(book.Part) []namedLimit
}

type namedLimit struct {
	whose string
	value float64
}

var operations = counted{
	"operations", func(p *session.Pass) float64 { return p.IOPS },
	func(_ unit.Notation, v float64) string { return unit.Grouped(int64(v+0.5)) + " IOPS" },
	func(p book.Part) []namedLimit {
		return []namedLimit{{"volume", p.Limits.IOPS}, {"volume's burst", p.Limits.BurstIOPS},
			{"instance", p.Instance.IOPS}}
	},
}

var throughput = counted{
	"bytes", throughputOf,
	func(n unit.Notation, v float64) string { return n.Rate(rate(v)) },
	func(p book.Part) []namedLimit {
		return []namedLimit{{"volume", float64(p.Limits.Throughput)},
			{"volume's burst", float64(p.Limits.BurstThroughput)}, {"instance", float64(p.Instance.Throughput)}}
	},
}

// hold reports whether the fastest passes of a group are held to one figure of the unit.
func (c counted) hold(s *session.Session, group []*session.Pass, n unit.Notation) (session.Finding, bool) {
	fastest := greatest(group, c.of)
	var held []*session.Pass
	for _, pass := range group {
		if c.of(pass) >= c.of(fastest)*(1-alikeLimit) && pass.Depth > 1 {
			held = append(held, pass)
		}
	}
	alike := append([]*session.Pass{fastest}, held...)
	smallest := greatest(alike, func(p *session.Pass) float64 { return -float64(p.Block) })
	largest := greatest(alike, func(p *session.Pass) float64 { return float64(p.Block) })
	if len(held) < 2 || largest.Block < 2*smallest.Block {
		return session.Finding{}, false
	}
	whose := c.whose(s, c.of(fastest))
	evidence := CapBoundEvidence{
		Limit: c.name, Whose: whose, SmallestBlock: smallest.Block, LargestBlock: largest.Block, PassesAlike: len(held),
	}
	summary := fmt.Sprintf("A limit of %s holds it: %s with blocks of %s and of %s alike%s.",
		c.name, c.text(n, c.of(fastest)), smallest.Block, largest.Block, whoseText(whose))
	advice := "Larger blocks move more at the same limit; more operations a second have to be bought."
	if c.name == throughput.name {
		evidence.LimitRate = rate(math.Round(c.of(fastest)))
		advice = "More bytes a second have to be bought, of whoever sets the limit; smaller blocks and more depth " +
			"change nothing."
	} else {
		evidence.LimitIOPS = c.of(fastest)
	}
	confidence := hundredths(capProbability(whose, len(held)))
	if whose == "" {
		advice += " Describe the volume in the bench book (--through), so that its own limit, the instance's and " +
			"the network's can be told apart."
	}
	summary += queueing(group, held, &evidence)
	f := capBound.new(confidence, indexesOf(held), evidence)
	f.ToSeconds = fastest.ElapsedSeconds
	f.Summary = summary
	f.Advice = advice
	return f, true
}

// whose says which of the limits that the bench book gives a figure is at, or empty.
func (c counted) whose(s *session.Session, figure float64) string {
	volume, ok := s.Part(book.Volume)
	if !ok {
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

// queueing tells latency that a limit makes from a slow device's: at a limit, operations wait in front of it,
// for depth over operations a second (Little, Operations Research 9, 1961).
func queueing(group, held []*session.Pass, evidence *CapBoundEvidence) string {
	deepest := greatest(held, func(p *session.Pass) float64 { return float64(p.Outstanding()) })
	waits := float64(deepest.Outstanding()) / deepest.IOPS
	if math.Abs(deepest.Latency.Mean/waits-1) > queued {
		return ""
	}
	evidence.QueueSeconds = waits
	text := fmt.Sprintf(" The %s that an operation takes at depth %d is the queue in front of the limit",
		unit.Latency(deepest.Latency.Mean), deepest.Depth)
	for _, pass := range group {
		like := pass.Depth == 1 && pass.Block == deepest.Block && pass.Operation == deepest.Operation
		if like && pass.IOPS < deepest.IOPS*(1-alikeLimit) {
			evidence.AloneSeconds = pass.Latency.P50
			text += fmt.Sprintf("; alone it takes %s", unit.Latency(pass.Latency.P50))
			break
		}
	}
	return text + "."
}

// provisioned says whether limits are provisioned somewhere in the chain.
func provisioned(s *session.Session) bool { return slices.ContainsFunc(s.Chain.Hops, book.IsLimit) }

const (
	// someLimit is how often a volume is held by a limit, and alikeByChance how often a
	// block of another size gives the same figure without one.
	someLimit, alikeByChance = 0.7, 0.12
	// onTheBook is how often a figure lies at a limit of the bench book by chance.
	onTheBook = 0.15
)

// capProbability is how likely figures that are alike are held by a limit, beside that
// they are so by chance.
func capProbability(whose string, alike int) float64 {
	chance := (1 - someLimit) / someLimit * math.Pow(alikeByChance, float64(alike-1))
	if whose != "" {
		chance *= onTheBook
	}
	return min(1/(1+chance), 0.99)
}
