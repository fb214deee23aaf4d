package article

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/factor"
	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/present/figure"
)

// leadOf is the answer of a review, or else the sharpest statement that is fair; and the
// ids of the figures in it.
func leadOf(r Report) (Lead, map[string]bool) {
	var lead Lead
	switch {
	case r.Review != nil:
		lead = answered(r)
	case len(r.Sessions) == 1:
		lead = leadOfOne(r, r.Sessions[0])
	default:
		lead = leadOfSeveral(r)
	}
	shown := map[string]bool{}
	if lead.Figure != nil {
		shown[lead.Figure.Head().ID] = true
	}
	return lead, shown
}

// leadOfOne says the gravest finding of a session, and shows it.
func leadOfOne(r Report, s *session.Session) Lead {
	lead := Lead{Tested: facts(s), Answer: plainly(s, r)}
	found := gravest(r)
	if len(found) > 0 {
		lead.Answer = found[0].finding.Summary
		for _, each := range found[1:min(len(found), 3)] {
			lead.Besides = append(lead.Besides, each.finding.Summary)
		}
	}
	kinds := []string{"heat-trace", "depth-map", "fill-ladder", "copy-matrix", "chain-strip", "moves"}
	if len(found) > 0 {
		kinds = slices.Insert(kinds, 0, strings.ReplaceAll(string(finding.Of(found[0].finding).Marks), " ", "-"))
	}
	for _, name := range kinds {
		if kind, known := figure.FormOf(name); known {
			if figures := kind.Of(r.Subject); len(figures) > 0 {
				lead.Figure = &Shown{Figure: figures[0], Kind: name}
				break
			}
		}
	}
	return lead
}

// plainly says of a session in which nothing was found how fast it was at most.
func plainly(s *session.Session, r Report) string {
	var fastest *session.Pass
	for i := range s.Passes {
		if p := &s.Passes[i]; p.Counts() && (fastest == nil || p.BytesPerSecond > fastest.BytesPerSecond) {
			fastest = p
		}
	}
	if fastest == nil {
		return "Nothing in this session looks wrong."
	}
	return fmt.Sprintf("At most %s, by %s; nothing in this session looks wrong.", r.Notation.Rate(fastest.BytesPerSecond),
		fastest.Label())
}

// effect is what one factor does, all else equal, on one load.
type effect struct {
	key, from, to string
	row           compare.EffectRow
	of            compare.EffectOfOne
	words         string
	groups        []compare.Group
}

// leadOfSeveral says what one difference does where sessions differ in nothing else, and
// otherwise that nobody can say.
func leadOfSeveral(r Report) Lead {
	lead := Lead{Tested: together(r)}
	best, ok := strongest(r.Sessions)
	if ok {
		lead.Answer = best.sentence()
		lead.Figure = barsOf(r, best)
	} else {
		lead.Answer = undecided(r)
	}
	if lead.Figure == nil {
		lead.Figure = firstFigure(r)
	}
	found := gravest(r)
	for _, each := range found[:min(len(found), 2)] {
		lead.Besides = append(lead.Besides, each.sentence())
	}
	return lead
}

// mostWeighed keeps a report of very many sessions from taking long.
const mostWeighed = 400

// strongest is the largest sure effect of a single factor among the sessions.
func strongest(sessions []*session.Session) (effect, bool) {
	sessions = sessions[:min(len(sessions), mostWeighed)]
	var best effect
	most := 0.0
	keys := differing(sessions)
	for _, key := range keys {
		if slices.ContainsFunc(factor.Follows[key], func(cause string) bool { return slices.Contains(keys, cause) }) {
			continue // it is that other difference
		}
		found, err := compare.EffectOf(key, "", sessions)
		if err != nil {
			continue
		}
		for _, row := range found.Loads {
			for i, one := range row.Effects {
				sure := one.Verdict == compare.Better || one.Verdict == compare.Worse
				if size := math.Abs(math.Log(one.Ratio)); sure && one.Groups > 0 && size > most {
					most = size
					best = effect{key, found.Values[0], one.Value, row, one, row.Words(i), found.Groups}
				}
			}
		}
	}
	return best, most > 0
}

// differing are the factors in which some of the sessions differ.
func differing(sessions []*session.Session) []string {
	values := map[string]string{}
	keys := map[string]bool{}
	for _, s := range sessions {
		for key, value := range factor.Of(s) {
			if before, seen := values[key]; seen && !factor.Alike(before, value) {
				keys[key] = true
			}
			values[key] = value
		}
	}
	return slices.Sorted(maps.Keys(keys))
}

func (e effect) sentence() string {
	return fmt.Sprintf("%s %s instead of %s: %s, %s, all else equal.", strings.ToUpper(e.key[:1])+e.key[1:], e.to,
		e.from, e.row.Label, e.words)
}

// leadID is the id of a figure that is of the lead alone.
const leadID = "lead"

// barsOf draws the load of an effect for the sessions that it is told by.
func barsOf(r Report, e effect) *Shown {
	var of []*session.Session
	for _, group := range e.groups {
		for _, s := range r.Sessions {
			name := s.DisplayName()
			if slices.Contains(group.Sessions[e.from], name) || slices.Contains(group.Sessions[e.to], name) {
				of = append(of, s)
			}
		}
	}
	if len(of) < 2 {
		return nil
	}
	made, err := compare.New(of, compare.Terms{Amounts: r.Amounts, Findings: r.Findings})
	if err != nil {
		return nil
	}
	made.Rows = slices.DeleteFunc(made.Rows, func(row compare.Row) bool { return row.Label != e.row.Label })
	if len(made.Rows) == 0 {
		return nil
	}
	made.Rows[0].ByAmount = false
	bars := figure.Comparison(made, r.Notation)
	bars.ID, bars.Says = leadID, strings.TrimSuffix(e.sentence(), ".")
	return &Shown{Figure: bars, Kind: "comparison"}
}

// undecided says why nothing can be said of sessions together.
func undecided(r Report) string {
	switch {
	case r.Comparison == nil:
		return fmt.Sprintf("%d sessions that have no load in common: nothing can be set against anything else here.",
			len(r.Sessions))
	case len(r.Comparison.Sides) == 2 && len(r.Comparison.Verdicts) == 1:
		return r.Comparison.Verdicts[0]
	}
	keys := differing(r.Sessions)
	if len(keys) == 0 {
		return fmt.Sprintf("%d sessions of the same set-up, and no load in which they surely differ.", len(r.Sessions))
	}
	return fmt.Sprintf("%d sessions in which no two differ in a single thing by a difference that is sure: they differ "+
		"in %s together, so which of these makes how much nobody can say.", len(r.Sessions), listed(keys))
}

// listed is texts as a list in a sentence: "a, b and c".
func listed(texts []string) string {
	const most = 5
	if len(texts) > most {
		texts = append(slices.Clone(texts[:most]), fmt.Sprintf("%d more", len(texts)-most))
	}
	if len(texts) < 2 {
		return strings.Join(texts, "")
	}
	return strings.Join(texts[:len(texts)-1], ", ") + " and " + texts[len(texts)-1]
}

// firstFigure is the first that shows several sessions, or else any.
func firstFigure(r Report) *Shown {
	for _, alone := range []bool{false, true} {
		for _, kind := range figure.Forms {
			if kind.Together == alone {
				continue
			}
			if figures := kind.Of(r.Subject); len(figures) > 0 {
				return &Shown{Figure: figures[0], Kind: kind.Name}
			}
		}
	}
	return nil
}

// together says in a line what several sessions tested.
func together(r Report) string {
	count := map[string][]string{}
	order := []string{"drive", "volume", "enclosure", "cable", "host"}
	first, last := r.Sessions[0].Started, r.Sessions[0].Started
	for _, s := range r.Sessions {
		for _, part := range s.Parts {
			if name := part.Name; !slices.Contains(count[string(part.Kind)], name) {
				count[string(part.Kind)] = append(count[string(part.Kind)], name)
			}
		}
		if s.Started.Before(first) {
			first = s.Started
		}
		if s.Started.After(last) {
			last = s.Started
		}
	}
	texts := []string{fmt.Sprintf("%d sessions", len(r.Sessions))}
	for _, kind := range order {
		if names := count[kind]; len(names) > 0 {
			texts = append(texts, kind+" "+listed(names))
		}
	}
	const day = "2006-01-02"
	when := first.Local().Format(day)
	if until := last.Local().Format(day); until != when {
		when += " to " + until
	}
	return strings.Join(append(texts, when), " · ")
}
