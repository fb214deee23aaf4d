package finding

import (
	"fmt"
	"math"

	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

const (
	// asFast is the share of an end's own speed from which on a copy runs as fast
	// as that end.
	asFast = 0.85
	// endsAlike is how close two ends are that cannot be told apart as the limit.
	endsAlike = 0.05
	// manyFiles is the size of the median file below which a set is many files.
	manyFiles = 256 * unit.KiB
	// costly is how many times faster a large file has to be for the many files to
	// be what it costs.
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

// measuredCopy is the copies of a set one way, with what each end did alone.
type measuredCopy struct {
	session             *session.Session
	n                   unit.Notation
	first               *session.Copy
	whole, source, dest float64 // bytes a second
}

// conclusion is what holds a copy, and how sure that is.
type conclusion struct {
	kind            Kind
	end, hop        string
	severity        session.Severity
	confidence      float64
	summary, advice string
}

// findEndpointBound names the end that holds a copy, by what each end does alone, or
// what is between them.
func findEndpointBound(s *session.Session, n unit.Notation) []session.Finding {
	var found []session.Finding
	for _, c := range measuredCopies(s) {
		c.n = n
		if c.source == 0 || c.dest == 0 {
			continue
		}
		end := c.conclude()
		f := end.kind.new(end.confidence, []int{}, EndpointBoundEvidence{
			Copy: c.first.Index, Set: c.first.Set, End: end.end, Hop: end.hop, Rate: rate(math.Round(c.whole)),
			Source: rate(math.Round(c.source)), Destination: rate(math.Round(c.dest)),
		})
		f.Severity = end.severity
		f.Summary = fmt.Sprintf("%s from %s to %s: %s: the copy runs at %s, the source alone gives %s, the "+
			"destination alone %s%s",
			c.first.Set, c.from().Address, c.to().Address, end.summary, n.Rate(rate(c.whole)), n.Rate(rate(c.source)),
			n.Rate(rate(c.dest)),
			c.within(end))
		f.Advice = end.advice
		found = append(found, f)
	}
	return found
}

func (c *measuredCopy) from() session.End { return c.session.Ends[c.first.From] }
func (c *measuredCopy) to() session.End   { return c.session.Ends[c.first.To] }

// within ends the sentence: of a shared hop with what it carries.
func (c *measuredCopy) within(end conclusion) string {
	if end.hop == "" {
		return "."
	}
	hop, _ := sharedHopOf(c.from().Chain, c.to().Chain)
	return fmt.Sprintf(", and twice the copy's rate is within its %s %s.",
		c.n.Between(hop.Usable.Low, hop.Usable.High), c.n.Unit())
}

func (c *measuredCopy) conclude() conclusion {
	slower, name, other, end := c.dest, "destination", "source", c.to().Address
	if c.source < c.dest {
		slower, name, other, end = c.source, "source", "destination", c.from().Address
	}
	made := conclusion{kind: endpointBound, severity: session.Note, confidence: 0.9}
	switch {
	case c.whole >= asFast*slower && math.Abs(c.source/c.dest-1) <= endsAlike:
		made.end, made.confidence = "both", 0.8
		made.summary = "both ends are alike and hold it together"
		made.advice = "Only two faster ends would make it faster."
	case c.whole >= asFast*slower:
		made.end = name
		made.summary = fmt.Sprintf("the %s, %s, is the limit%s", name, end, c.byFiles(name))
		made.advice = "A faster " + other + " would change nothing."
	default:
		c.between(&made)
	}
	return made
}

// between says what holds a copy that runs slower than either of its ends alone.
func (c *measuredCopy) between(made *conclusion) {
	from, to := c.from(), c.to()
	if hop, shared := sharedHopOf(from.Chain, to.Chain); shared && hop.Usable.ReachedBy(rate(2*c.whole)) {
		made.kind, made.end, made.hop = sharedHop, "shared hop", hop.Name
		made.summary = fmt.Sprintf("both ends are behind %s, which carries the data in and out", hop.Name)
		made.advice = "Put the two ends on different ports of the host."
		return
	}
	// Where each file waits for both ends in turn, their times add up.
	inTurn := 1 / (1/c.source + 1/c.dest)
	switch {
	case c.first.Spread.Median < manyFiles && c.first.Parallel == 1 && c.whole >= asFast*inTurn:
		made.end = "many files"
		made.summary = fmt.Sprintf("the many files are the limit, each of which waits for both ends in turn (that "+
			"would give %s)",
			c.n.Rate(rate(inTurn)))
		made.advice = "Copy several files at once (--parallel), or pack them into one."
	case from.Device != "" && from.Device == to.Device:
		made.end = "same device"
		made.summary = fmt.Sprintf("both ends are on %s, which has to read and write at once", from.Device)
		made.advice = "Copy to another device."
	default:
		made.end, made.severity, made.confidence = "between", session.Caution, 0.6
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
	work, alone := session.CopySource, c.source
	if end == "destination" {
		work, alone = session.CopyDestination, c.dest
	}
	for i := range c.session.Copies {
		other := &c.session.Copies[i]
		same := end == "source" && other.From == c.first.From || end == "destination" && other.To == c.first.To
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
		made.whole = stat.Median(rates[key])
		if source := rates[way{key.set, key.from, -1}]; len(source) > 0 {
			made.source = stat.Median(source)
		}
		if dest := rates[way{key.set, -1, key.to}]; len(dest) > 0 {
			made.dest = stat.Median(dest)
		}
		all = append(all, made)
	}
	return all
}
