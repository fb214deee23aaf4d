package answer

import (
	"cmp"
	"math"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/design"
	"opengauge/core/review/reading"
)

// Answer is what a review answers by now.
type Answer struct {
	Review   string `json:"review"`
	Question string `json:"question"`
	// Verdicts are one, or one for each level of what is given, or where factors interact.
	Verdicts []Verdict `json:"verdicts"`
	// Reasons are what single factors do, the greatest first, five at the most.
	Reasons []Reason `json:"reasons"`
	// Mixed are effects that nobody can tell from others.
	Mixed []design.Mixed `json:"mixed"`
	// NotTested is what nothing is said of.
	NotTested []string `json:"not_tested"`
	// Drifted are findings: the first cell that was not as fast when it came again.
	Drifted []session.Finding `json:"drifted"`
	// Notes are what else a reader has to know.
	Notes []string `json:"notes"`
	// Next is the run that would help most where an answer is not sure yet, or nil.
	Next *Next `json:"next,omitempty"`
	// Spread is how much a set-up that is put together anew differs from itself.
	Spread float64 `json:"set_up_spread_share"`
	// Runs are all visits, and Counted those that count.
	Runs    int `json:"runs"`
	Counted int `json:"counted"`
}

// Settled reports whether every verdict is as sure as was asked.
func (a *Answer) Settled() bool {
	return len(a.Verdicts) > 0 && !slices.ContainsFunc(a.Verdicts, func(v Verdict) bool { return !v.Settled })
}

// Verdict is which option it is.
type Verdict struct {
	Given []review.Level `json:"given,omitempty"`
	// Named is the option, where Settled; else the one that leads, or empty.
	Named   string `json:"named"`
	Settled bool   `json:"settled"`
	// Sure is how sure it is at the least that none is better by more than matters.
	Sure float64 `json:"sure"`
	// Cheaper says that it was taken because the difference does not matter, and it costs
	// less.
	Cheaper bool `json:"taken_because_cheaper"`
	// Undecided are cheaper options of which it is not known yet whether they are worse by
	// more than matters: the review goes on for them as long as its budget allows.
	Undecided []string `json:"cheaper_undecided"`
	Options   []Option `json:"options"`
	// RunnerUp is the one after it, and Ahead by how much it is ahead of that, as a share.
	RunnerUp string  `json:"runner_up,omitempty"`
	Ahead    *Effect `json:"ahead,omitempty"`
	// Turns says what would make it another one.
	Turns string `json:"turns,omitempty"`
	// Why says why it is not settled.
	Why string `json:"why,omitempty"`
	// Interacts says that options do not stand the same everywhere.
	Interacts string `json:"interacts,omitempty"`
}

// Effect is a difference as a share: 0.1 is a tenth more. Low and High are nil where nobody
// knows.
type Effect struct {
	Share float64  `json:"share"`
	Low   *float64 `json:"low,omitempty"`
	High  *float64 `json:"high,omitempty"`
}

// Option is one of those chosen between.
type Option struct {
	Name   string         `json:"name"`
	Levels []review.Level `json:"levels"`
	Visits int            `json:"visits"`
	// Figure is what is decided by, in SI units, and Low to High where it may be; 0 is not
	// known.
	Figure float64 `json:"figure"`
	Low    float64 `json:"figure_low"`
	High   float64 `json:"figure_high"`
	Price  float64 `json:"price"`
	Sure   float64 `json:"sure"`
	Musts  []Must  `json:"musts"`
	// Out is why it is no more in the race, or empty.
	Out string `json:"out,omitempty"`

	cells []string
	mean  float64
}

// Cells are the names of the cells that the option is of.
func (o *Option) Cells() []string { return o.cells }

// Next is a visit that would help.
type Next struct {
	Cell  string  `json:"cell"`
	Hours float64 `json:"hours"`
	Why   string  `json:"why"`
}

// judge is an answer being made.
type judge struct {
	review *review.Review
	design *design.Design
	state  *reading.State
	models models
}

// Of says what the review answers by what was measured.
func Of(d *design.Design, st *reading.State) Answer {
	r := &d.Review
	j := &judge{review: r, design: d, state: st}
	j.models = modelsOf(st.Visits, func(v *reading.Visit) float64 { return v.Goodness(r.Decide.Figure) })
	a := Answer{Review: r.Name, Question: r.Question, Runs: len(st.Visits), Reasons: []Reason{},
		Drifted: []session.Finding{}, Notes: j.notes(), NotTested: j.notTested()}
	for i := range st.Visits {
		if st.Visits[i].Counts() {
			a.Counted++
		}
	}
	if j.models.fine.ok && j.models.fine.fit.Freedom > 0 {
		a.Spread = j.models.fine.fit.Sigma
	}
	a.Verdicts = j.verdicts()
	a.Reasons, a.Mixed = j.reasons(a.Verdicts)
	a.Drifted = j.drifts()
	if !a.Settled() {
		a.Next = j.next(a.Verdicts)
	}
	return a
}

// verdicts are one a group; where options interact with what is averaged over, one for each
// level of that.
func (j *judge) verdicts() []Verdict {
	d := &j.review.Decide
	var list []Verdict
	for _, g := range groups(j.review, d.Given) {
		if len(g.options) > 1 { // else it is a control
			list = append(list, j.verdict(&g, d.Over))
		}
	}
	for _, key := range d.Over {
		says := j.interacts(list, key)
		if says == "" {
			continue
		}
		var apart []Verdict
		for _, g := range groups(j.review, append(slices.Clone(d.Given), key)) {
			v := j.verdict(&g, slices.DeleteFunc(slices.Clone(d.Over), func(k string) bool { return k == key }))
			v.Interacts = says
			apart = append(apart, v)
		}
		return apart
	}
	return list
}

// verdict judges the options of a group.
func (j *judge) verdict(g *group, over []string) Verdict {
	v := Verdict{Given: g.given, Undecided: []string{}}
	for i := range g.options {
		v.Options = append(v.Options, j.optionOf(&g.options[i]))
	}
	rivals := v.rivals()
	for _, i := range rivals {
		v.Options[i].Sure = j.sure(g, i, rivals, over)
	}
	j.drop(g, &v, rivals, over)
	j.name(g, &v, rivals, over)
	return v
}

// optionOf describes an option by itself.
func (j *judge) optionOf(o *option) Option {
	made := Option{Name: o.name, Levels: o.levels, Price: o.price()}
	var visits []*reading.Visit
	for _, c := range o.cells {
		made.cells = append(made.cells, c.Name)
		for i := range j.state.Visits {
			if v := &j.state.Visits[i]; v.Cell == c.Name && v.Counts() {
				visits = append(visits, v)
			}
		}
	}
	made.Visits = len(visits)
	made.Musts = mustsOf(j.review, o, visits)
	if m, failed := fails(made.Musts); failed {
		made.Out = "it must " + m.Must + ", and " + m.Why
	}
	if e := j.meanOf(o); e.told {
		made.mean, made.Figure = e.value, j.figure(e.value)
		half := e.half(1 - j.review.Decide.Sure)
		if !math.IsInf(half, 1) {
			made.Low, made.High = j.figure(e.value-half), j.figure(e.value+half)
			made.Low, made.High = min(made.Low, made.High), max(made.Low, made.High)
		}
	}
	return made
}

// meanOf is the mean of an option's cells.
func (j *judge) meanOf(o *option) estimate {
	weights := map[string]float64{}
	o.spread(nil, nil, 1, weights)
	return j.models.of(weights)
}

// figure is the figure of a goodness.
func (j *judge) figure(goodness float64) float64 {
	if j.review.Decide.Figure.Larger {
		return math.Exp(goodness)
	}
	return math.Exp(-goodness)
}

// rivals are the options that may still be named.
func (v *Verdict) rivals() []int {
	var rivals []int
	for i := range v.Options {
		if v.Options[i].Out == "" {
			rivals = append(rivals, i)
		}
	}
	return rivals
}

// margin is by how much another one may be better, on the scale of goodness.
func (j *judge) margin() float64 {
	if j.review.Decide.Figure.Larger {
		return -math.Log1p(-j.review.Decide.Matters)
	}
	return math.Log1p(j.review.Decide.Matters)
}

// sure is how sure it is at the least that none of the rivals is better than an option by
// more than matters. The doubts of all comparisons add up, so that the best of many is not
// taken at its face: the greatest counts as often as there are rivals (Bonferroni).
func (j *judge) sure(g *group, i int, rivals []int, over []string) float64 {
	doubt := 0.0
	for _, k := range rivals {
		if k != i {
			doubt = max(doubt, j.doubt(&g.options[i], &g.options[k], over))
		}
	}
	return 1 - min(doubt*float64(max(len(rivals)-1, 1)), 1)
}

// doubt is how likely it is at the most that what is seen is seen although an option is
// worse than another by more than matters.
func (j *judge) doubt(a, b *option, over []string) float64 {
	if len(j.review.Decide.Worst) > 0 {
		return j.doubtOfWorst(a, b, over)
	}
	e := j.models.of(difference(a, b, over))
	return e.doubtAbove(-j.margin())
}

// doubtOfWorst holds the worst of one against the worst of another: some level of the
// other has to be no better than any of the first. Which one that is is picked from what
// was seen, so that the doubt counts for each.
func (j *judge) doubtOfWorst(a, b *option, over []string) float64 {
	as, bs := byLevels(a, j.review.Decide.Worst), byLevels(b, j.review.Decide.Worst)
	least := 1.0
	for i := range bs {
		most := 0.0
		for k := range as {
			e := j.models.of(difference(&as[k], &bs[i], over))
			most = max(most, e.doubtAbove(-j.margin()))
		}
		least = min(least, most)
	}
	return min(least*float64(len(bs)), 1)
}

// byLevels splits an option by the levels of some factors.
func byLevels(o *option, keys []string) []option {
	var parts []option
	for _, c := range o.cells {
		levels := split(&c, keys)
		at := slices.IndexFunc(parts, func(p option) bool { return slices.Equal(p.levels, levels) })
		if at < 0 {
			at = len(parts)
			parts = append(parts, option{name: o.name, levels: levels})
		}
		parts[at].cells = append(parts[at].cells, c)
	}
	return parts
}

// worth is what an option counts for: its mean, or its worst level's.
func (j *judge) worth(o *option, mean float64) float64 {
	if len(j.review.Decide.Worst) == 0 {
		return mean
	}
	worst := math.Inf(1)
	for _, part := range byLevels(o, j.review.Decide.Worst) {
		if e := j.meanOf(&part); e.told {
			worst = min(worst, e.value)
		}
	}
	return worst
}

// drop takes those out of the race that are surely worse than another one: by more than
// matters where they are cheaper, else at all.
func (j *judge) drop(g *group, v *Verdict, rivals []int, over []string) {
	if len(j.review.Decide.Worst) > 0 {
		return // an option's worst level may be another one than seems
	}
	allowed := (1 - j.review.Decide.Sure) / float64(max(len(rivals)-1, 1))
	for _, i := range rivals {
		for _, k := range rivals {
			if i == k || v.Options[i].Out != "" || v.Options[k].Figure == 0 || !j.repeated(g, v, i) {
				continue
			}
			margin := 0.0
			if v.Options[i].Price < v.Options[k].Price {
				margin = j.margin()
			}
			e := j.models.of(difference(&g.options[k], &g.options[i], over))
			if e.doubtAbove(margin) <= allowed {
				v.Options[i].Out = "surely worse than " + g.options[k].name
			}
		}
	}
}

// name chooses: of those that are sure enough the cheapest, else who leads.
func (j *judge) name(g *group, v *Verdict, rivals []int, over []string) {
	if len(rivals) == 0 {
		v.Why = "no option does what it must"
		return
	}
	known := slices.DeleteFunc(slices.Clone(rivals), func(i int) bool { return v.Options[i].Figure == 0 })
	if len(known) == 0 {
		v.Why = "nothing was measured yet that tells"
		return
	}
	slices.SortStableFunc(known, func(a, b int) int {
		return cmp.Compare(j.worth(&g.options[b], v.Options[b].mean), j.worth(&g.options[a], v.Options[a].mean))
	})
	lead := known[0]
	named := lead
	sure := slices.DeleteFunc(slices.Clone(known), func(i int) bool {
		return v.Options[i].Sure < j.review.Decide.Sure || !allMet(v.Options[i].Musts)
	})
	if slices.ContainsFunc(rivals, func(i int) bool { return v.Options[i].Out == "" && !j.repeated(g, v, i) }) {
		sure = nil
	}
	for at, i := range sure {
		if at == 0 || v.Options[i].Price < v.Options[named].Price {
			named = i
		}
	}
	v.Named, v.Settled, v.Sure = v.Options[named].Name, len(sure) > 0, v.Options[named].Sure
	if len(rivals) == 1 && len(sure) == 0 && allMet(v.Options[named].Musts) && v.Options[named].Visits > 0 {
		v.Settled, v.Sure = true, 1 // the others do not do what they must
	}
	v.Cheaper = v.Settled && v.Options[named].Price < v.Options[lead].Price
	v.Undecided = j.undecided(v, named, known)
	j.explain(g, v, named, known, over)
}

// undecided are the options that cost less than a settled one and may still do as well.
func (j *judge) undecided(v *Verdict, named int, known []int) []string {
	names := []string{}
	for _, i := range known {
		o := &v.Options[i]
		if v.Settled && i != named && o.Out == "" && o.Price < v.Options[named].Price {
			names = append(names, o.Name)
		}
	}
	return names
}

// Decided reports whether every verdict is settled, and nothing cheaper may still do as well.
func (a *Answer) Decided() bool {
	return a.Settled() && !slices.ContainsFunc(a.Verdicts, func(v Verdict) bool { return len(v.Undecided) > 0 })
}

// repeated reports whether an option was put together as often as it has to be: what was put
// together once is not told from how well it was plugged in.
func (j *judge) repeated(g *group, v *Verdict, i int) bool {
	return v.Options[i].Visits >= j.review.Budget.VisitsLeast*len(g.options[i].cells)
}
