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

// measuredCopy is the copies of a set one way, with what each end did alone.
type measuredCopy struct {
	first               *session.Copy
	whole, source, dest float64 // bytes a second
	indexes             []int
}

// endpointBound names the end that holds a copy, by what each end does alone, or what
// is between them.
func endpointBound(s *session.Session) []session.Finding {
	var found []session.Finding
	for _, c := range measuredCopies(s) {
		if c.source == 0 || c.dest == 0 {
			continue
		}
		slower, name, other := c.dest, "destination", "source"
		end := s.Ends[c.first.To].Address
		if c.source < c.dest {
			slower, name, other, end = c.source, "source", "destination", s.Ends[c.first.From].Address
		}
		way := fmt.Sprintf("%s from %s to %s", c.first.Set, s.Ends[c.first.From].Address, s.Ends[c.first.To].Address)
		arithmetic := fmt.Sprintf("the copy runs at %s, the source alone gives %s, the destination alone %s", rateText(c.whole), rateText(c.source), rateText(c.dest))
		f := session.Finding{
			Kind: "endpoint-bound", Severity: session.Note, Confidence: 0.9, Passes: []int{},
			Evidence: map[string]any{
				"copy": float64(c.first.Index), "copy_bytes_per_second": math.Round(c.whole), "source_alone_bytes_per_second": math.Round(c.source),
				"destination_alone_bytes_per_second": math.Round(c.dest), "end": name, "set": c.first.Set,
			},
		}
		switch {
		case c.whole >= asFast*slower && math.Abs(c.source/c.dest-1) <= endsAlike:
			f.Evidence["end"], f.Confidence = "both", 0.8
			f.Summary = fmt.Sprintf("%s: both ends are alike and hold it together: %s.", way, arithmetic)
			f.Advice = "Only two faster ends would make it faster."
		case c.whole >= asFast*slower:
			f.Summary = fmt.Sprintf("%s: the %s, %s, is the limit%s: %s.", way, name, end, c.byFiles(s, name), arithmetic)
			f.Advice = "A faster " + other + " would change nothing."
		default:
			f = c.between(s, f, way, arithmetic)
		}
		found = append(found, f)
	}
	return found
}

// between says what holds a copy that runs slower than either of its ends alone.
func (c measuredCopy) between(s *session.Session, f session.Finding, way, arithmetic string) session.Finding {
	from, to := s.Ends[c.first.From], s.Ends[c.first.To]
	if hop, shared := sharedHopOf(from.Chain, to.Chain); shared && hop.Usable.ReachedBy(unit.BytesPerSecond(2*c.whole)) {
		f.Kind, f.Evidence["end"], f.Evidence["hop"] = "shared-hop", "shared hop", hop.Name
		f.Summary = fmt.Sprintf("%s: both ends are behind %s, which carries the data in and out: %s, and twice the copy's rate is within its %s.",
			way, hop.Name, arithmetic, unit.Decimal.Between(hop.Usable.Low, hop.Usable.High)+" MB/s")
		f.Advice = "Put the two ends on different ports of the host."
		return f
	}
	// Where each file waits for both ends in turn, their times add up.
	inTurn := 1 / (1/c.source + 1/c.dest)
	switch {
	case c.first.Spread.Median < manyFiles && c.first.Parallel == 1 && c.whole >= asFast*inTurn:
		f.Evidence["end"] = "many files"
		f.Summary = fmt.Sprintf("%s: the many files are the limit, each of which waits for both ends in turn (that would give %s): %s.", way, rateText(inTurn), arithmetic)
		f.Advice = "Copy several files at once (--parallel), or pack them into one."
	case s.Ends[c.first.From].Device != "" && from.Device == to.Device:
		f.Evidence["end"] = "same device"
		f.Summary = fmt.Sprintf("%s: both ends are on %s, which has to read and write at once: %s.", way, from.Device, arithmetic)
		f.Advice = "Copy to another device."
	default:
		f.Evidence["end"], f.Severity, f.Confidence = "between", session.Caution, 0.6
		f.Summary = fmt.Sprintf("%s: neither end alone is the limit, so it is what is between them, the host or a hop that both use: %s.", way, arithmetic)
		f.Advice = "Repeat it with another host, or on other ports, to see which."
	}
	return f
}

// byFiles says that the many files make an end slow, where one large file is much
// faster there.
func (c measuredCopy) byFiles(s *session.Session, end string) string {
	if c.first.Spread.Median >= manyFiles {
		return ""
	}
	work, alone := session.CopySource, c.source
	if end == "destination" {
		work, alone = session.CopyDestination, c.dest
	}
	for at := range s.Copies {
		other := &s.Copies[at]
		same := end == "source" && other.From == c.first.From || end == "destination" && other.To == c.first.To
		if other.Work == work && same && other.Spread.Files == 1 && float64(other.BytesPerSecond) > costly*alone {
			return fmt.Sprintf(", by its many files (one large file gives it %s)", rateText(float64(other.BytesPerSecond)))
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
	for at := range s.Copies {
		c := &s.Copies[at]
		key := way{c.Set, c.From, c.To}
		if c.CutShort || c.BytesPerSecond <= 0 {
			continue
		}
		rates[key] = append(rates[key], float64(c.BytesPerSecond))
		if c.Work != session.CopyWhole {
			continue
		}
		if groups[key] == nil {
			groups[key] = &measuredCopy{first: c}
			order = append(order, key)
		}
		groups[key].indexes = append(groups[key].indexes, c.Index)
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

func rateText(rate float64) string { return unit.Decimal.Rate(unit.BytesPerSecond(rate)) }
