package answer

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
)

// effect turns a difference of logarithms into a share, with its interval.
func effect(e estimate, doubt float64) *Effect {
	made := &Effect{Share: math.Expm1(e.value)}
	if half := e.half(doubt); !math.IsInf(half, 1) {
		low, high := math.Expm1(e.value-half), math.Expm1(e.value+half)
		made.Low, made.High = &low, &high
	}
	return made
}

// explain says by how much the named option is ahead of the runner-up, what would turn it,
// and why it is not settled, if it is not.
func (j *judge) explain(g *group, v *Verdict, named int, known []int, over []string) {
	runner := -1
	for _, i := range known {
		if i != named && runner < 0 {
			runner = i
		}
	}
	if !v.Settled {
		v.Why = j.whyNot(v, named)
	}
	if runner < 0 {
		return
	}
	v.RunnerUp = v.Options[runner].Name
	weights := difference(&g.options[named], &g.options[runner], over)
	if e := j.models.of(weights); e.told {
		v.Ahead = effect(e, (1-j.review.Decide.Sure)/float64(max(len(known)-1, 1)))
	}
	v.Turns = j.turns(v, named, runner)
}

// turns says what would make the runner-up the answer.
func (j *judge) turns(v *Verdict, named, runner int) string {
	a, b := &v.Options[named], &v.Options[runner]
	f := j.review.Decide.Figure
	if v.Ahead == nil {
		return ""
	}
	if v.Cheaper {
		return fmt.Sprintf("%s is better by %s, which is below the %s that matter, and costs %s more: if that mattered, it "+
			"would be %s", b.Name, unit.Percent(-v.Ahead.Share/(1+v.Ahead.Share)), unit.Given(j.review.Decide.Matters),
			unit.Price(b.Price-a.Price), b.Name)
	}
	if v.Settled && v.Ahead.Share < 0 {
		return fmt.Sprintf("%s looks better by %s, and is not as sure yet not to be worse than others by more than matters",
			b.Name, unit.Percent(-v.Ahead.Share/(1+v.Ahead.Share)))
	}
	better := "larger"
	share := v.Ahead.Share
	if !f.Larger {
		better, share = "smaller", v.Ahead.Share/(1+v.Ahead.Share)
	}
	switch {
	case share <= 0:
		return ""
	case share < j.review.Decide.Matters && b.Price < a.Price:
		return fmt.Sprintf("%s is behind by %s, less than the %s that matter, and costs %s less: once that is sure, it is "+
			"%s", b.Name, unit.Percent(share), unit.Given(j.review.Decide.Matters), unit.Price(a.Price-b.Price), b.Name)
	}
	text := fmt.Sprintf("the %s of %s would have to be %s by %s", f.Name, b.Name, better, unit.Percent(share))
	if b.Price < a.Price {
		text += fmt.Sprintf(", or a difference of that much not matter: it costs %s less", unit.Price(a.Price-b.Price))
	}
	return text
}

// whyNot says why a verdict is not settled.
func (j *judge) whyNot(v *Verdict, named int) string {
	var lacking []string
	for i := range v.Options {
		o := &v.Options[i]
		if o.Out != "" || o.Figure > 0 {
			continue
		}
		lacking = append(lacking, o.Name+" "+j.noFigure(o))
	}
	if len(lacking) > 0 {
		return strings.Join(lacking, "; ")
	}
	for _, m := range v.Options[named].Musts {
		if m.Met == NotKnown {
			return fmt.Sprintf("it is not known whether %s can %s (%s)", v.Named, m.Must, m.Why)
		}
	}
	if j.models.fine.fit.Freedom == 0 {
		return "nothing was put together twice, so that nobody knows how much a set-up differs from itself"
	}
	return fmt.Sprintf("%s is asked, and %s is reached that nothing is better than %s by more than %s",
		unit.Given(j.review.Decide.Sure), unit.Percent(math.Floor(v.Sure*1000)/1000), v.Named,
		unit.Given(j.review.Decide.Matters))
}

// noFigure says why an option has no figure.
func (j *judge) noFigure(o *Option) string {
	for i := range j.state.Visits {
		if v := &j.state.Visits[i]; slices.Contains(o.cells, v.Cell) && v.Counts() && v.NoFigure != "" {
			return "has no figure: " + v.NoFigure
		}
	}
	if o.Visits == 0 {
		return "was not measured yet"
	}
	return "cannot be held against the others: no day has both"
}

// interacts says where options stand otherwise at one level of a factor than on average,
// by more than matters, if that is sure; else it says nothing.
func (j *judge) interacts(verdicts []Verdict, key string) string {
	for _, g := range groups(j.review, j.review.Decide.Given) {
		for a := range g.options {
			for b := range g.options[:a] {
				if says := j.interactsWith(&g.options[a], &g.options[b], key); says != "" && mentioned(verdicts, g.options[a].name,
					g.options[b].name) {
					return says
				}
			}
		}
	}
	return ""
}

// mentioned reports whether two options are the ones that a verdict is about.
func mentioned(verdicts []Verdict, a, b string) bool {
	return slices.ContainsFunc(verdicts, func(v Verdict) bool {
		return v.Named == a && v.RunnerUp == b || v.Named == b && v.RunnerUp == a
	})
}

func (j *judge) interactsWith(a, b *option, key string) string {
	whole := difference(a, b, nil)
	for _, part := range byLevels(a, []string{key}) {
		other := at(b, part.levels)
		if len(part.levels) == 0 || len(other.cells) == 0 {
			continue
		}
		weights := difference(&part, &other, nil)
		for cell, weight := range whole {
			weights[cell] -= weight
		}
		e := j.models.of(weights)
		allowed := 1 - j.review.Decide.Sure
		flipped := e
		flipped.value = -e.value
		if min(e.doubtAbove(j.margin()), flipped.doubtAbove(j.margin())) <= allowed {
			return fmt.Sprintf("%s stands otherwise against %s at %s: %s of a difference against what it is on average", a.name,
				b.name, review.Text(part.levels), unit.Percent(math.Abs(math.Expm1(e.value))))
		}
	}
	return ""
}

// at is an option with its cells at some levels alone.
func at(o *option, levels []review.Level) option {
	part := option{name: o.name, levels: levels}
	for _, c := range o.cells {
		if c.Has(levels) {
			part.cells = append(part.cells, c)
		}
	}
	return part
}

// drifts are the controls that moved by more than their interval: between a cell as it was
// first and as it came again.
func (j *judge) drifts() []session.Finding {
	list := []session.Finding{}
	first := map[string]*reading.Visit{}
	for i := range j.state.Visits {
		v := &j.state.Visits[i]
		if !v.Known() {
			continue
		}
		before, seen := first[v.Cell]
		if !seen {
			first[v.Cell] = v
			continue
		}
		if v.Control {
			list = append(list, j.drift(before, v)...)
		}
	}
	return list
}

// drift is the finding that a cell moved between two of its visits, if it did.
func (j *judge) drift(before, v *reading.Visit) []session.Finding {
	f, sure := j.review.Decide.Figure, j.review.Decide.Sure
	const twoVisits = 2 // variances of one each
	e := estimate{value: v.Goodness(f) - before.Goodness(f), sigma: j.models.fine.fit.Sigma, variance: twoVisits,
		freedom: j.models.fine.fit.Freedom, told: true}
	half := e.half(1 - sure)
	if math.Abs(e.value) <= half {
		return nil
	}
	share := v.Figure/before.Figure - 1
	why := "days differ, and cells are only compared within one"
	if before.Day == v.Day {
		why = "something changed within the day, and counts into every interval"
	}
	return []session.Finding{finding.Drifted(
		finding.DriftedEvidence{Cell: v.Cell, Order: v.Order, Day: v.Day, Share: share, Allowed: math.Expm1(half)}, sure,
		fmt.Sprintf("%s, the first cell, was %s when it came again as visit %d on %s: %s.", v.Cell, unit.Signed(share),
			v.Order, v.Day, why),
		"Look at what else changed between the two: the room, the host, how full the drive is.")}
}
