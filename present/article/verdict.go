package article

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
)

const (
	// mostFindings and mostVerdicts keep the verdict to a few sentences.
	mostFindings = 6
	mostVerdicts = 3
)

// verdicts says in a few sentences what a report amounts to: what comparing the
// sessions and paying for them says, and the gravest finding of each kind, with the
// sessions that show it.
func verdicts(r Report) []string {
	var sentences []string
	if r.Comparison != nil {
		sentences = append(sentences, r.Comparison.Brief(mostVerdicts)...)
	}
	if r.Value != nil {
		said := 0
		for _, step := range r.Value.Steps {
			if said < mostVerdicts && len(step.Gains) > 0 {
				sentences = append(sentences, step.Verdict)
				said++
			}
		}
	}
	found := gravest(r)
	for i, each := range found {
		if i == mostFindings {
			sentences = append(sentences, fmt.Sprintf("%d more kinds of findings are at the end.", len(found)-i))
			break
		}
		sentences = append(sentences, each.sentence())
	}
	if len(found) == 0 {
		sentences = append(sentences, "Nothing in these sessions looks wrong.")
	}
	return sentences
}

// weighs is a finding, and the other sessions that show the same kind.
type weighs struct {
	finding session.Finding
	by      string
	too     []string
}

func (s weighs) sentence() string {
	text := s.by + ": " + s.finding.Summary
	if len(s.too) > 0 {
		text += " (" + s.finding.Kind + " in " + strings.Join(s.too, ", ") + " too.)"
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
