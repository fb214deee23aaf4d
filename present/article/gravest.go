package article

import (
	"slices"

	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
)

// mostFindings stand in the open.
const mostFindings = 6

// mostToo are named of the other sessions that show the same.
const mostToo = 3

// weighs is a finding, and the other sessions that show the same kind.
type weighs struct {
	finding session.Finding
	by      string
	too     []string
}

func (s weighs) sentence() string {
	text := s.by + ": " + s.finding.Summary
	if len(s.too) > 0 {
		text += " (" + s.finding.Kind + " in " + listed(s.too, mostToo) + " too.)"
	}
	return text
}

// gravest gives each kind's gravest finding, faults first, the limits last.
func gravest(r Report) []weighs {
	var all []weighs
	for _, severity := range []session.Severity{session.Fault, session.Caution, session.Note} {
		for _, s := range r.Sessions {
			for _, f := range r.Findings[s.ID] {
				if f.Severity != severity || severity == session.Note && !finding.Of(f).Weighty {
					continue
				}
				at := slices.IndexFunc(all, func(each weighs) bool { return each.finding.Kind == f.Kind })
				switch {
				case at < 0:
					all = append(all, weighs{finding: f, by: s.DisplayName()})
				case all[at].by != s.DisplayName() && !slices.Contains(all[at].too, s.DisplayName()):
					all[at].too = append(all[at].too, s.DisplayName())
				}
			}
		}
	}
	return all
}
