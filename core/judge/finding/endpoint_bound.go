package finding

import (
	"fmt"
	"math"

	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

const (
	// fasterThanAlone is how much faster a copy may be than its slower end alone before
	// one of the figures is not of the same state.
	fasterThanAlone = 1.12
	// manyFiles is the size of the median file below which a set is many files.
	manyFiles = 256 * unit.KiB
	// costly is how many times faster a large file has to be for the number of files to be the cost.
	costly = 1.5
)

var endpointBound = Kind{
	Name:     "endpoint-bound",
	Says:     "of a copy: the source, or the destination, is the limit",
	Severity: session.Note,
	Weighty:  true,
	Marks:    CopyMatrix,
	Settles:  "copy to another device",
	Evidence: EndpointBoundEvidence{},
}

// EndpointBoundEvidence is the speed of a copy and of each of its ends alone.
type EndpointBoundEvidence struct {
	Copy        int                 `json:"copy"`
	Set         string              `json:"set"`
	End         string              `json:"end"`
	Rate        unit.BytesPerSecond `json:"copy_bytes_per_second"`
	Source      unit.BytesPerSecond `json:"source_alone_bytes_per_second"`
	Destination unit.BytesPerSecond `json:"destination_alone_bytes_per_second"`
	Hop         string              `json:"hop,omitempty"`
}

// measuredCopy is the copies of a set one way, with the work of each end alone.
type measuredCopy struct {
	session             *session.Session
	n                   unit.Notation
	first               *session.Copy
	whole, source, dest figured
}

// conclusion is the limit of a copy, and how sure that is.
type conclusion struct {
	kind            Kind
	end, hop        string
	severity        session.Severity
	confidence      float64
	summary, advice string
	shares          []session.Share
}

// findEndpointBound names the end that holds a copy, by the work of each end alone, or the hop between them.
func findEndpointBound(s *session.Session, n unit.Notation) []session.Finding {
	var found []session.Finding
	for _, c := range measuredCopies(s) {
		c.n = n
		if c.source.value == 0 || c.dest.value == 0 {
			continue
		}
		end := c.conclude()
		f := end.kind.new(end.confidence, []int{}, EndpointBoundEvidence{
			Copy: c.first.Index, Set: c.first.Set, End: end.end, Hop: end.hop, Rate: rate(math.Round(c.whole.value)),
			Source: rate(math.Round(c.source.value)), Destination: rate(math.Round(c.dest.value)),
		})
		f.Severity = end.severity
		f.Shares = end.shares
		f.Summary = fmt.Sprintf("%s from %s to %s: %s: the copy runs at %s, the source alone gives %s, the "+
			"destination alone %s%s",
			c.first.Set, c.from().Address, c.to().Address, end.summary, n.Rate(rate(c.whole.value)),
			n.Rate(rate(c.source.value)),
			n.Rate(rate(c.dest.value)),
			c.within(end))
		f.Advice = end.advice
		found = append(found, f)
	}
	return found
}

func (c *measuredCopy) from() session.End { return c.session.Ends[c.first.From] }
func (c *measuredCopy) to() session.End   { return c.session.Ends[c.first.To] }

// within ends the sentence: of a shared hop with its ceiling.
func (c *measuredCopy) within(end conclusion) string {
	if end.hop == "" {
		return "."
	}
	hop, _ := sharedHopOf(c.from().Chain, c.to().Chain)
	return fmt.Sprintf(", and twice the copy's rate is within its %s %s.",
		c.n.Between(hop.Usable.Low, hop.Usable.High), c.n.Unit())
}

// conclude names the limit of a copy, where that is likely enough, or the possible ones.
func (c *measuredCopy) conclude() conclusion {
	holders := c.holders()
	made := conclusion{kind: endpointBound, severity: session.Note, end: holders[0].name,
		confidence: min(hundredths(holders[0].share), 0.99)}
	ends := 0.0
	for _, h := range holders {
		if h.share >= 0.01 {
			made.shares = append(made.shares, session.Share{Explanation: h.name, Share: hundredths(h.share)})
		}
		if h.name == bySource || h.name == byDestination {
			ends += h.share
		}
	}
	slower := min(c.source.value, c.dest.value)
	switch {
	case c.whole.value > fasterThanAlone*slower:
		made.end = byBetween
		made.severity = session.Caution
		made.confidence = 0.9
		made.summary = "the copy was faster than its slower end alone, so they were not measured in the same state: " +
			"a write area or a cache helped one of them"
		made.advice = "Let both ends rest and repeat, the copies first (--copies-only)."
	case holders[0].share >= explain.Named:
		c.say(&made)
	case ends >= explain.Named:
		made.end = byBoth
		made.confidence = min(hundredths(ends), 0.99)
		made.summary = "both ends are alike and hold it together"
		made.advice = "Only two faster ends would make it faster."
	default:
		made.summary = fmt.Sprintf("the figures do not settle what holds it: %s %.0f %%, %s %.0f %%", holders[0].name,
			holders[0].share*100, holders[1].name, holders[1].share*100)
		made.end = byBetween
		made.advice = "Repeat it (--repeat 3): the intervals of the copy and of its ends tell which."
	}
	return made
}

// say describes the limit, and a remedy.
func (c *measuredCopy) say(made *conclusion) {
	from := c.from()
	to := c.to()
	switch made.end {
	case bySource:
		made.summary = fmt.Sprintf("the source, %s, is the limit%s", from.Address, c.byFiles(bySource))
		made.advice = "A faster destination would change nothing."
	case byDestination:
		made.summary = fmt.Sprintf("the destination, %s, is the limit%s", to.Address, c.byFiles(byDestination))
		made.advice = "A faster source would change nothing."
	case byHop:
		hop, _ := sharedHopOf(from.Chain, to.Chain)
		made.kind = sharedHop
		made.hop = hop.Name
		made.summary = fmt.Sprintf("both ends are behind %s, which carries the data in and out", hop.Name)
		made.advice = "Put the two ends on different ports of the host."
	case byFiles:
		made.summary = fmt.Sprintf("the many files are the limit, each of which waits for both ends in turn (that "+
			"would give %s)", c.n.Rate(rate(1/(1/c.source.value+1/c.dest.value))))
		made.advice = "Copy several files at once (--parallel), or pack them into one."
	case byDevice:
		made.summary = fmt.Sprintf("both ends are on %s, which reads and writes in turn (that would give %s)",
			from.Device, c.n.Rate(rate(1/(1/c.source.value+1/c.dest.value))))
		made.advice = "Copy to another device."
	default:
		made.severity = session.Caution
		made.summary = "neither end alone is the limit, so it is what is between them, the host or a hop that both use"
		made.advice = "Repeat it with another host, or on other ports, to see which."
	}
}

// byFiles says that the many files make an end slow, where one large file is much
// faster there.
func (c *measuredCopy) byFiles(end string) string {
	if c.first.Spread.Median >= manyFiles {
		return ""
	}
	work := session.CopySource
	alone := c.source.value
	if end == byDestination {
		work = session.CopyDestination
		alone = c.dest.value
	}
	for i := range c.session.Copies {
		other := &c.session.Copies[i]
		same := end == bySource && other.From == c.first.From || end == byDestination && other.To == c.first.To
		if other.Work == work && same && other.Spread.Files == 1 && float64(other.BytesPerSecond) > costly*alone {
			return fmt.Sprintf(", by its many files (one large file gives it %s)", c.n.Rate(other.BytesPerSecond))
		}
	}
	return ", with files of this size"
}

// measuredCopies puts the copies of a session together, in the order of their first.
func measuredCopies(s *session.Session) []measuredCopy {
	type way struct {
		set      string
		from, to int
	}
	rates := map[way][]float64{}
	groups := map[way]*measuredCopy{}
	var order []way
	for i := range s.Copies {
		c := &s.Copies[i]
		key := way{c.Set, c.From, c.To}
		if !c.Counts() {
			continue
		}
		rates[key] = append(rates[key], float64(c.BytesPerSecond))
		if c.Work != session.CopyWhole {
			continue
		}
		if groups[key] == nil {
			groups[key] = &measuredCopy{session: s, first: c}
			order = append(order, key)
		}
	}
	var all []measuredCopy
	for _, key := range order {
		made := *groups[key]
		made.whole = figuredOf(rates[key])
		made.source = figuredOf(rates[way{key.set, key.from, -1}])
		made.dest = figuredOf(rates[way{key.set, -1, key.to}])
		all = append(all, made)
	}
	return all
}
