package answer

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/stat"

	"opengauge/core/review"
	"opengauge/core/review/design"
	"opengauge/core/unit"
)

// Reason is what one factor does by itself.
type Reason struct {
	Factor string `json:"factor"`
	From   string `json:"from"`
	To     string `json:"to"`
	Effect
	// Known says that it is surely none, or surely one.
	Known bool `json:"known"`
	// None says that it is surely less than matters.
	None bool   `json:"none_that_matters"`
	Says string `json:"says"`
	// Pairs are the cells that it is told by: each differs from the other in the factor alone.
	Pairs []Pair `json:"pairs"`
}

// Pair is two cells that differ in one factor, with their figures in SI units.
type Pair struct {
	From       string  `json:"from"`
	To         string  `json:"to"`
	FromFigure float64 `json:"from_figure"`
	ToFigure   float64 `json:"to_figure"`
}

// Between are the least and the greatest change of its pairs, as shares: a mean may hide that
// the factor does much in some of them and nothing in others.
func (r *Reason) Between() (least, most float64) {
	for i, pair := range r.Pairs {
		change := pair.ToFigure/pair.FromFigure - 1
		if i == 0 || change < least {
			least = change
		}
		if i == 0 || change > most {
			most = change
		}
	}
	return least, most
}

// mostReasons is how many reasons a reader is told.
const mostReasons = 5

// reasons are contrasts of one factor: between cells that differ in it alone. Of the named
// options they say what each of their levels does against the others.
func (j *judge) reasons(verdicts []Verdict) ([]Reason, []design.Mixed) {
	list, mixed := []Reason{}, []design.Mixed{}
	sep := j.design.Separate(j.countedVisits())
	mixed = append(mixed, sep.Mixed...)
	for _, v := range verdicts {
		if v.Named == "" {
			continue
		}
		for _, key := range j.factors() {
			if slices.ContainsFunc(mixed, func(m design.Mixed) bool { return m.Effect == key || slices.Contains(m.With, key) }) {
				continue
			}
			list = append(list, j.against(v, key)...)
		}
	}
	list = slices.CompactFunc(list, func(a, b Reason) bool { return a.Says == b.Says })
	slices.SortStableFunc(list, func(a, b Reason) int {
		if a.Known != b.Known {
			return cmp.Compare(rank(b.Known), rank(a.Known))
		}
		return cmp.Compare(math.Abs(math.Log1p(b.Share)), math.Abs(math.Log1p(a.Share)))
	})
	return list[:min(len(list), mostReasons)], mixed
}

func rank(known bool) int {
	if known {
		return 1
	}
	return 0
}

// countedVisits are those that tell something.
func (j *judge) countedVisits() []design.Visit {
	var made []design.Visit
	for i := range j.state.Visits {
		if v := &j.state.Visits[i]; v.Known() {
			made = append(made, v.Visit)
		}
	}
	return made
}

// factors are those in which cells differ.
func (j *judge) factors() []string {
	var keys []string
	for _, c := range j.review.Cells() {
		for _, l := range c.Levels {
			if !slices.Contains(keys, l.Factor) {
				keys = append(keys, l.Factor)
			}
		}
	}
	return keys
}

// against holds the level that the named option has of a factor against each other one.
func (j *judge) against(v Verdict, key string) []Reason {
	var list []Reason
	here, others := j.levelsAt(v, key)
	for _, level := range here {
		for _, other := range others {
			if level != other {
				if r, ok := j.contrast(v, key, other, level); ok {
					list = append(list, r)
				}
			}
		}
	}
	return list
}

// levelsAt are the levels of a factor that the named option has, and all of them.
func (j *judge) levelsAt(v Verdict, key string) (here, all []string) {
	at := slices.IndexFunc(v.Options, func(o Option) bool { return o.Name == v.Named })
	for _, c := range j.review.Cells() {
		level := c.Of(key)
		if level == "" {
			continue
		}
		if !slices.Contains(all, level) {
			all = append(all, level)
		}
		if slices.Contains(v.Options[at].cells, c.Name) && !slices.Contains(here, level) {
			here = append(here, level)
		}
	}
	if len(here) > 1 { // averaged over: what it does is told once, from the first to the others
		here = here[:1]
	}
	return here, all
}

// contrast is what it does to go from one level to another, over all pairs of cells that
// differ in nothing else.
func (j *judge) contrast(v Verdict, key, from, to string) (Reason, bool) {
	weights, pairs := map[string]float64{}, []Pair{}
	for _, a := range j.review.Cells() {
		for _, b := range j.review.Cells() {
			if a.Of(key) == to && b.Of(key) == from && a.Has(v.Given) && b.Has(v.Given) && j.alone(&a, &b, key) &&
				j.measured(a.Name) && j.measured(b.Name) {
				weights[a.Name]++
				weights[b.Name]--
				pairs = append(pairs, Pair{b.Name, a.Name, j.seen(b.Name), j.seen(a.Name)})
			}
		}
	}
	for cell := range weights {
		weights[cell] /= float64(len(pairs))
	}
	e := j.models.of(weights)
	if len(pairs) == 0 || !e.told {
		return Reason{}, false
	}
	if !j.review.Decide.Figure.Larger {
		e.value = -e.value
	}
	r := Reason{Factor: key, From: from, To: to, Effect: *effect(e, 1-j.review.Decide.Sure), Pairs: pairs}
	m := j.review.Decide.Matters
	known := r.Low != nil && (*r.Low > 0 || *r.High < 0)
	none := r.Low != nil && *r.Low > -m && *r.High < m
	r.Known, r.None = known, none
	r.Says = j.reasonWords(r, v.Given, known, none)
	return r, true
}

// seen is the geometric mean of a cell's figures, as they were.
func (j *judge) seen(cell string) float64 {
	var figures []float64
	for i := range j.state.Visits {
		if v := &j.state.Visits[i]; v.Cell == cell && v.Known() {
			figures = append(figures, v.Figure)
		}
	}
	return stat.GeometricMean(figures, nil)
}

// measured reports whether a cell has a figure.
func (j *judge) measured(cell string) bool {
	return slices.ContainsFunc(j.models.fine.observations, func(o observation) bool { return o.cell == cell })
}

// alone reports whether two cells differ in a factor and in what is nested in it alone.
func (j *judge) alone(a, b *review.Cell, key string) bool {
	for _, other := range j.factors() {
		if other == key || a.Of(other) == b.Of(other) || j.nestedIn(other, key) {
			continue
		}
		return false
	}
	return true
}

func (j *judge) nestedIn(key, outer string) bool {
	return slices.ContainsFunc(j.review.Factors, func(f review.Factor) bool {
		return f.Key == key && slices.ContainsFunc(f.In, func(l review.Level) bool { return l.Factor == outer })
	})
}

func (j *judge) reasonWords(r Reason, given []review.Level, known, none bool) string {
	what := j.review.Decide.Figure.Name
	where := ""
	if len(given) > 0 {
		where = " at " + review.Text(given)
	}
	lead := fmt.Sprintf("%s: from %s to %s%s", r.Factor, r.From, r.To, where)
	step, stepping := j.review.OneWay()
	interval := ""
	if r.Low != nil {
		interval = fmt.Sprintf(" (%s to %s)", unit.Signed(*r.Low), unit.Signed(*r.High))
	}
	text := fmt.Sprintf("%s, the %s changes by %s%s", lead, what, unit.Signed(r.Share), interval)
	switch {
	case stepping && step.Key == r.Factor:
		text += "; what did not change was measured on both sides, and is taken off"
	case known:
	case none:
		text += ": none that matters"
	default:
		text += ": not sure yet"
	}
	return text + "."
}

// notes are what a reader has to know besides.
func (j *judge) notes() []string {
	notes := []string{}
	st := j.state
	if len(st.Changed) > 0 {
		notes = append(notes, fmt.Sprintf("The review was changed (%s) after %d sessions had been measured: what still has "+
			"its cell and its plan counts, and the answer is no longer what was planned beforehand.",
			strings.Join(st.Changed, ", "), st.BeforeChanges))
	}
	adopted, unprepared, void := 0, 0, 0
	for i := range st.Visits {
		v := &st.Visits[i]
		adopted += rank(v.Adopted)
		unprepared += rank(len(v.Unprepared()) > 0)
		void += rank(v.Void != "")
	}
	for _, each := range []struct {
		count int
		text  string
	}{
		{adopted, "were measured before the review, in an order that nobody drew, and without its preparation"},
		{unprepared, "did not begin as the first did: status says in what"},
		{void, "do not count, for reasons that were fixed beforehand; they are kept"},
	} {
		if each.count > 0 {
			notes = append(notes, fmt.Sprintf("%d of %d visits %s.", each.count, len(st.Visits), each.text))
		}
	}
	if step, ok := j.review.OneWay(); ok {
		if text := j.stepped(step); text != "" {
			notes = append(notes, text)
		}
	}
	if j.coarse() {
		notes = append(notes, "Hosts are compared as if a day slowed all of them alike.")
	}
	return notes
}

// coarse reports whether cells at different hosts are compared.
func (j *judge) coarse() bool {
	var hosts []string
	for _, c := range j.review.Cells() {
		if host := c.Host(); host != "" && !slices.Contains(hosts, host) {
			hosts = append(hosts, host)
		}
	}
	return len(hosts) > 1 && !slices.Contains(j.review.Decide.Given, "host")
}

// stepped says what is known of a step without a way back where nothing beside it stayed
// as it was.
func (j *judge) stepped(step review.Factor) string {
	for _, c := range j.review.Cells() {
		if c.Of(step.Key) == "" {
			return ""
		}
	}
	means := map[string][]float64{}
	for i := range j.state.Visits {
		if v := &j.state.Visits[i]; v.Known() {
			c, _ := j.review.Cell(v.Cell)
			means[c.Of(step.Key)] = append(means[c.Of(step.Key)], math.Log(v.Figure))
		}
	}
	before, after := step.Levels[0], step.Levels[len(step.Levels)-1]
	text := fmt.Sprintf("Nothing that stayed as it was is measured on both sides of the step from %s %s to %s: what "+
		"is seen "+
		"is after minus before, and not due to it", step.Key, before, after)
	if len(means[before]) == 0 || len(means[after]) == 0 {
		return text + "."
	}
	return fmt.Sprintf("%s (%s). A cell without a %s would tell.", text,
		unit.Signed(math.Expm1(stat.Mean(means[after], nil)-stat.Mean(means[before], nil))), step.Key)
}

// notTested is what nothing is said of.
func (j *judge) notTested() []string {
	list := []string{}
	if len(j.review.With) > 0 {
		list = append(list, "anything but "+review.Text(j.review.With))
	}
	for _, never := range j.review.Impossible() {
		list = append(list, never.Name+", which cannot be: "+never.Why)
	}
	return append(list, "other specimens of these parts")
}
