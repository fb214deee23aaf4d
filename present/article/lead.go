package article

import (
	"cmp"
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
				if len(found) > 0 {
					lead.Figure.Figure = ofPass(figures, found[0].finding)
				}
				break
			}
		}
	}
	return lead
}

// ofPass is the figure of the pass that a finding is about, or else the first.
func ofPass(figures []figure.Figure, f session.Finding) figure.Figure {
	for _, each := range figures {
		trace, is := each.(figure.HeatTrace)
		if is && slices.ContainsFunc(trace.Spans, func(span figure.Span) bool { return span.Kind == f.Kind }) {
			return each
		}
	}
	return figures[0]
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
	lead := Lead{Tested: together(r), Answer: undecided(r)}
	effects := effectsOf(r.Sessions)
	for _, each := range effects[:min(len(effects), mostTried)] {
		if bars, fair := barsOf(r, each); fair {
			lead.Answer, lead.Figure = each.sentence(), &Shown{Figure: bars, Kind: "comparison"}
			break
		}
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

// leadID is the id of a figure that is of the lead alone.
const leadID = "lead"

// mostWeighed keeps a report of very many sessions from taking long, and mostTried is how
// many effects are looked at for one that is fair.
const mostWeighed, mostTried = 400, 20

// effectsOf are the sure effects of single factors among the sessions, the largest first.
func effectsOf(sessions []*session.Session) []effect {
	sessions = sessions[:min(len(sessions), mostWeighed)]
	var effects []effect
	for key, values := range differing(sessions) {
		for _, base := range values { // what is better against one is worse the other way round
			found, err := compare.EffectOf(key, base, sessions)
			if err != nil {
				continue
			}
			for _, row := range found.Loads {
				for i, one := range row.Effects {
					if one.Verdict == compare.Better && one.Groups > 0 {
						effects = append(effects, effect{key, base, one.Value, row, one, row.Words(i), found.Groups})
					}
				}
			}
		}
	}
	slices.SortFunc(effects, func(a, b effect) int {
		return cmp.Or(cmp.Compare(math.Abs(math.Log(b.of.Ratio)), math.Abs(math.Log(a.of.Ratio))),
			cmp.Compare(a.sentence(), b.sentence()))
	})
	return effects
}

// mostValues of a factor are held against each other.
const mostValues = 6

// differing are the factors in which some of the sessions differ, each with its values;
// without those that only follow from another one.
func differing(sessions []*session.Session) map[string][]string {
	values := map[string][]string{}
	for _, s := range sessions {
		for key, value := range factor.Of(s) {
			known := slices.ContainsFunc(values[key], func(other string) bool { return factor.Alike(other, value) })
			if !known && len(values[key]) < mostValues {
				values[key] = append(values[key], value)
			}
		}
	}
	differ := func(key string) bool { return len(values[key]) > 1 }
	causes := map[string][]string{}
	for key := range values {
		if differ(key) && !slices.ContainsFunc(factor.Follows[key], differ) {
			causes[key] = values[key]
		}
	}
	return causes
}

func (e effect) sentence() string {
	return fmt.Sprintf("%s %s instead of %s: %s, %s, all else equal.", strings.ToUpper(e.key[:1])+e.key[1:], e.to,
		e.from, e.row.Label, e.words)
}

// barsOf draws the load of an effect for the sessions that it is told by. It is not fair
// where throughput goes through levels, so that an average says nothing.
func barsOf(r Report, e effect) (figure.Bars, bool) {
	var of []*session.Session
	for _, group := range e.groups {
		if len(group.Sessions[e.from]) == 0 || len(group.Sessions[e.to]) == 0 {
			continue
		}
		for _, s := range r.Sessions {
			if holds(group.Sessions[e.from], s) || holds(group.Sessions[e.to], s) {
				of = append(of, s)
			}
		}
	}
	of = of[:min(len(of), mostBars)]
	made, err := compare.New(of, compare.Terms{Amounts: r.Amounts, Findings: r.Findings})
	if err != nil {
		return figure.Bars{}, false
	}
	made.Rows = slices.DeleteFunc(made.Rows, func(row compare.Row) bool { return row.Label != e.row.Label })
	bars := figure.Comparison(made, r.Notation) // without loads that go through levels
	bars.ID, bars.Says = leadID, strings.TrimSuffix(e.sentence(), ".")
	return bars, len(bars.Groups) == 1
}

// holds reports whether a session is in a group, or a part of it is.
func holds(names []string, s *session.Session) bool {
	return slices.ContainsFunc(names, func(name string) bool {
		return name == s.DisplayName() || strings.HasPrefix(name, s.DisplayName()+" ")
	})
}

// undecided says why nothing can be said of sessions together.
func undecided(r Report) string {
	keys := slices.Sorted(maps.Keys(differing(r.Sessions)))
	switch {
	case r.Comparison == nil:
		return fmt.Sprintf("%d sessions that have no load in common: nothing can be set against anything else here.",
			len(r.Sessions))
	case len(r.Comparison.Sides) == 2 && len(r.Comparison.Verdicts) == 1:
		if len(keys) < 2 {
			return r.Comparison.Verdicts[0]
		}
		return fmt.Sprintf("Nobody can say what makes the difference, as they differ in %s together. Measured: %s",
			listed(keys, mostListed), r.Comparison.Verdicts[0])
	}
	if len(keys) == 0 {
		return fmt.Sprintf("%d sessions of the same set-up, and no load in which they surely differ.", len(r.Sessions))
	}
	return fmt.Sprintf("%d sessions in which no two differ in a single thing by a difference that is sure: they differ "+
		"in %s together, so which of these makes how much nobody can say.", len(r.Sessions), listed(keys, mostListed))
}

// mostListed are named in a line.
const mostListed = 5

// listed is texts as a list in a sentence, so many of them at the most: "a, b and c".
func listed(texts []string, most int) string {
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
			figures := kind.Of(r.Subject)
			if kind.Name == "comparison" && len(figures) > 0 { // as much of it as there is room for
				figures[0] = comparisonOf(r)
			}
			if len(figures) > 0 {
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
			texts = append(texts, kind+" "+listed(names, mostListed))
		}
	}
	const day = "2006-01-02"
	when := first.Local().Format(day)
	if until := last.Local().Format(day); until != when {
		when += " to " + until
	}
	return strings.Join(append(texts, when), " · ")
}
