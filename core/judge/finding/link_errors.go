package finding

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var linkErrors = Kind{
	Name:     "link-errors",
	Says:     "the link reports errors, resets or relinks while it was measured",
	Severity: session.Fault,
	Marks:    ChainStrip,
	Settles:  "change the cable first, then the port, and repeat",
	Evidence: LinkErrorsEvidence{},
}

// LinkErrorsEvidence describes the first event. Beside it stand the counters that grew and the kinds of
// events, by their own names, with their numbers.
type LinkErrorsEvidence struct {
	First string `json:"first,omitempty"`
}

const (
	// lossShare and leastLost are from when on loss is worth a word: networks that are busy
	// lose a little so as to say so (RFC 9293, 3.8), and a few packets are lost by chance.
	lossShare, leastLost = 0.005, 20
	// lossProbability is how likely excess loss is the network's, and not a queue's answer to who sends too
	// fast.
	lossProbability = 0.8
)

// findLinkErrors finds counters of errors that grew while passes ran, resets, timeouts and
// relinks that the system told of, and networks that lose more than they need to.
func findLinkErrors(s *session.Session, _ unit.Notation) []session.Finding {
	errors, indexes := grownWhere(s, func(c link.Counter, _ int64, _ map[string]int64) bool {
		return c.Sort == link.Errors
	})
	losses, losing := grownWhere(s, lost)
	told := map[string]int{}
	first := ""
	for _, e := range s.Events {
		if !event.OfLink(e.Kind) {
			continue
		}
		told[e.Kind]++
		if first == "" {
			first = fmt.Sprintf("%s, %.0f s into the session", e.Detail, e.TSeconds)
		}
		if pass, _ := passAt(s, e.TSeconds); pass != nil && !slices.Contains(indexes, pass.Index) {
			indexes = append(indexes, pass.Index)
		}
	}
	if len(errors)+len(losses)+len(told) == 0 {
		return nil
	}
	counts := map[string]any{}
	parts := []string{}
	for _, grown := range []map[string]int64{errors, losses} {
		for _, name := range slices.Sorted(maps.Keys(grown)) {
			counts[name] = grown[name]
			parts = append(parts, countText(name, grown[name]))
		}
	}
	for _, kind := range slices.Sorted(maps.Keys(told)) {
		counts["events of "+kind] = told[kind]
		parts = append(parts, fmt.Sprintf("%d of %s", told[kind], kind))
	}
	return []session.Finding{linkErrorsFinding(len(errors)+len(told) == 0, union(indexes, losing),
		LinkErrorsEvidence{first}, counts, strings.Join(parts, ", "))}
}

// linkErrorsFinding describes the reports of the links; onlyLoss that a network lost packets and nothing
// else.
func linkErrorsFinding(onlyLoss bool, indexes []int, evidence LinkErrorsEvidence, counts map[string]any,
	reported string) session.Finding {
	if onlyLoss {
		f := linkErrors.new(lossProbability, indexes, evidence)
		f.Severity = session.Caution
		f.Summary = "The network lost packets, which were sent again: " + reported + "."
		f.Advice = "Measure the network alone, with opengauge standin wire at the other end: where it loses as much " +
			"there, look at the cable, the switch and what else is sent over it; else at the server."
		f.Evidence = f.Evidence.With(counts)
		return f
	}
	f := linkErrors.new(0.95, indexes, evidence)
	f.Evidence = f.Evidence.With(counts)
	f.Summary = "The links reported errors while they were measured: " + reported + "."
	f.Advice = "Do not quote these figures. Change the cable first, then the port, and repeat; errors that follow " +
		"the drive are the drive's."
	return f
}

// union returns the members of either, in order.
func union(a, b []int) []int {
	both := slices.Concat(a, b)
	slices.Sort(both)
	return slices.Compact(both)
}

// countText says how much a counter grew: "7 pcie correctable errors 0000:01:00.0",
// "12 damaged frames received, of eth0".
func countText(name string, grown int64) string {
	counter := link.CounterOf(name)
	of := strings.TrimPrefix(name, link.Counted(name))
	if counter.Says == counter.Name {
		return fmt.Sprintf("%d %s", grown, strings.ReplaceAll(name, "_", " "))
	}
	return fmt.Sprintf("%d %s, of%s", grown, counter.Says, of)
}

// lost reports whether a counter of losses grew by more than a network needs.
func lost(c link.Counter, count int64, grown map[string]int64) bool {
	if c.Sort != link.Loss || count < leastLost {
		return false
	}
	all := int64(0)
	for name, other := range grown {
		if link.Counted(name) == c.Of {
			all = max(all, other)
		}
	}
	return float64(count) >= lossShare*float64(all)
}

// grownWhere gives how much those counters grew in all passes together that are asked for,
// and in which passes they did.
func grownWhere(s *session.Session, wanted func(c link.Counter, count int64, grown map[string]int64) bool) (
	total map[string]int64, indexes []int) {
	total = map[string]int64{}
	_, indexes = passesWhere(s, func(p *session.Pass) bool {
		grown := p.Link.Growth()
		found := false
		for name, count := range grown {
			if wanted(link.CounterOf(name), count, grown) {
				total[name] += count
				found = true
			}
		}
		return found
	})
	return total, indexes
}
