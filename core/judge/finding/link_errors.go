package finding

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"opengauge/core/record/session"
)

// slowdownCounters count what a drive does on purpose, and no errors.
var slowdownCounters = []string{"nvme_light_slowdowns", "nvme_heavy_slowdowns", "nvme_slow_seconds"}

// linkEvents are events of a link that does not hold.
var linkEvents = []string{session.EventRelink, session.EventReset, session.EventTimeout}

// linkErrors finds counters of errors that grew while passes ran, and resets,
// timeouts and relinks that the system told of.
func linkErrors(s *session.Session) []session.Finding {
	total := map[string]int64{}
	_, indexes := passesWhere(s, func(p *session.Pass) bool {
		grown := p.Link.Growth()
		maps.DeleteFunc(grown, func(name string, _ int64) bool {
			return slices.Contains(slowdownCounters, firstWord(name))
		})
		for name, count := range grown {
			total[name] += count
		}
		return len(grown) > 0
	})
	told, first := map[string]int{}, ""
	for _, event := range s.Events {
		if slices.Contains(linkEvents, event.Kind) {
			told[event.Kind]++
			if first == "" {
				first = fmt.Sprintf("%s, %.0f s into the session", event.Detail, event.TSeconds)
			}
			if pass, _ := passAt(s, event.TSeconds); pass != nil && !slices.Contains(indexes, pass.Index) {
				indexes = append(indexes, pass.Index)
			}
		}
	}
	if len(total) == 0 && len(told) == 0 {
		return nil
	}
	evidence := map[string]any{}
	var parts []string
	for _, name := range slices.Sorted(maps.Keys(total)) {
		evidence[name] = int(total[name])
		parts = append(parts, fmt.Sprintf("%d %s", total[name], strings.ReplaceAll(name, "_", " ")))
	}
	for _, kind := range slices.Sorted(maps.Keys(told)) {
		evidence["events of "+kind] = told[kind]
		parts = append(parts, fmt.Sprintf("%d of %s", told[kind], kind))
	}
	if first != "" {
		evidence["first"] = first
	}
	slices.Sort(indexes)
	return []session.Finding{{
		Kind: "link-errors", Severity: session.Fault, Confidence: 0.95, Passes: indexes, Evidence: evidence,
		Summary: "The links reported errors while they were measured: " + strings.Join(parts, ", ") + ".",
		Advice:  "Do not quote these figures. Change the cable first, then the port, and repeat; errors that follow the drive are the drive's.",
	}}
}
