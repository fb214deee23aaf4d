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

// LinkErrorsEvidence says what happened first. Beside it stand the counters that
// grew and the kinds of events, by their own names, with how many there were.
type LinkErrorsEvidence struct {
	First string `json:"first,omitempty"`
}

// slowdownCounters count what a drive does on purpose, and no errors.
var slowdownCounters = []string{link.LightSlowdowns, link.HeavySlowdowns, link.SlowSeconds}

// findLinkErrors finds counters of errors that grew while passes ran, and resets,
// timeouts and relinks that the system told of.
func findLinkErrors(s *session.Session, _ unit.Notation) []session.Finding {
	total, indexes := errorCounts(s)
	told, first := map[string]int{}, ""
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
	if len(total) == 0 && len(told) == 0 {
		return nil
	}
	counts := map[string]any{}
	var parts []string
	for _, name := range slices.Sorted(maps.Keys(total)) {
		counts[name] = total[name]
		parts = append(parts, fmt.Sprintf("%d %s", total[name], strings.ReplaceAll(name, "_", " ")))
	}
	for _, kind := range slices.Sorted(maps.Keys(told)) {
		counts["events of "+kind] = told[kind]
		parts = append(parts, fmt.Sprintf("%d of %s", told[kind], kind))
	}
	slices.Sort(indexes)
	f := linkErrors.new(0.95, indexes, LinkErrorsEvidence{first})
	f.Evidence = f.Evidence.With(counts)
	f.Summary = "The links reported errors while they were measured: " + strings.Join(parts, ", ") + "."
	f.Advice = "Do not quote these figures. Change the cable first, then the port, and repeat; errors that follow " +
		"the drive are the drive's."
	return []session.Finding{f}
}

// errorCounts gives how much each counter of errors grew in all passes, and in which.
func errorCounts(s *session.Session) (total map[string]int64, indexes []int) {
	total = map[string]int64{}
	_, indexes = passesWhere(s, func(p *session.Pass) bool {
		grown := p.Link.Growth()
		maps.DeleteFunc(grown, func(name string, _ int64) bool {
			return slices.Contains(slowdownCounters, link.Counted(name))
		})
		for name, count := range grown {
			total[name] += count
		}
		return len(grown) > 0
	})
	return total, indexes
}
