// Package compare sets sessions against each other: what differs between them, by
// how much they differ and how sure that is. It only reads them.
//
// Its functions may be called by several goroutines at once.
package compare

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/judge/beside"
	"opengauge/core/judge/factor"
	"opengauge/core/judge/move"
	"opengauge/core/judge/outcome"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Side is a session in a comparison.
type Side struct {
	ID        string     `json:"id"`
	Name      string     `json:"name"`
	Simulated bool       `json:"simulated"`
	ByHand    bool       `json:"by_hand,omitempty"`
	Factors   factor.Set `json:"factors"`

	display string
}

// DisplayName is what the session is called for people.
func (s Side) DisplayName() string { return s.display }

// Difference is a factor that is not the same in all sessions.
type Difference struct {
	Key string `json:"key"`
	// Values are by side; empty where it is not said.
	Values []string `json:"values"`
	// Follows says that it is explained by another difference.
	Follows bool `json:"follows,omitempty"`
}

// Row is one load, by side.
type Row struct {
	Label  string `json:"label"`
	Metric Metric `json:"metric"`
	// HigherIsBetter says which way is better.
	HigherIsBetter bool `json:"higher_is_better"`
	// Folded rows are of the work of one end of copies, which is there to say what held
	// them.
	Folded  bool     `json:"folded,omitempty"`
	Figures []Figure `json:"figures"`
	// Contrasts are against the baseline; nil for the baseline itself and where
	// one of the two does not have the load.
	Contrasts []*Contrast `json:"contrasts"`
	// ByAmount says that throughput goes down for good on a side, so that amounts are
	// compared, and no average.
	ByAmount bool `json:"by_amount,omitempty"`
	// Load is what was asked of the storage.
	Load session.Key `json:"-"`
}

// Comparison is sessions against the first of them.
type Comparison struct {
	// Sides has the baseline first.
	Sides       []Side            `json:"sessions"`
	Differences []Difference      `json:"differences"`
	Rows        []Row             `json:"loads"`
	Findings    []session.Finding `json:"findings"`
	// Verdicts are sentences, one a session besides the baseline.
	Verdicts []string `json:"verdicts"`
	// NotShared says why no load is compared, where only what failed is.
	NotShared string `json:"not_shared,omitempty"`
	// Amounts are the loads that are compared by how long amounts take; Moves, Levels and
	// Crossings say the same for documents.
	Amounts   []Amounts          `json:"-"`
	Moves     []move.Record      `json:"moves"`
	Levels    []move.LevelRecord `json:"levels"`
	Crossings []CrossingRecord   `json:"crossings"`
	// Quantities are figures of whole sessions besides their rates, from Outcomes.
	Quantities []Quantity `json:"quantities"`
	// Beside is what the storage and another load take from each other.
	Beside []beside.Record `json:"beside"`
	Pairs  []beside.Pair   `json:"-"`
	// Quoted are figures that others published of the same parts. They are compared with
	// nothing.
	Quoted   []Quoted          `json:"quoted"`
	Outcomes []outcome.Outcome `json:"-"`

	bench factor.Bench
}

// Terms are what a comparison is asked.
type Terms struct {
	// Amounts are those that the reader wants to move; it may be empty.
	Amounts []unit.Bytes
	// Findings are those of the sessions, by id; of a session without, those that it was
	// recorded with count.
	Findings map[string][]session.Finding
	// Quotes are figures that others published.
	Quotes []book.Quote
}

// New compares sessions with the first of them. It is an error if none has a load
// in common with it.
func New(sessions []*session.Session, terms Terms) (Comparison, error) {
	c := Comparison{Findings: []session.Finding{}, Rows: []Row{}, Differences: []Difference{},
		bench: factor.BenchOf(sessions)}
	all := make([]Loads, len(sessions))
	for i, s := range sessions {
		c.Sides = append(c.Sides, Side{ID: s.ID, Name: s.Name, Simulated: s.Simulated, ByHand: s.ByHand(),
			Factors: factor.Of(s), display: s.DisplayName()})
		all[i] = LoadsOf(s)
		findings, judged := terms.Findings[s.ID]
		if !judged {
			findings = s.Findings
		}
		c.Outcomes = append(c.Outcomes, outcome.Of(s, findings))
	}
	for _, key := range all[0].Order {
		if row, shared := newRow(key, all); shared {
			c.Rows = append(c.Rows, row)
		}
	}
	recorded := make([]curves, len(sessions))
	for i, s := range sessions {
		recorded[i] = curvesOf(s)
	}
	c.addAmounts(recorded, terms.Amounts)
	c.Quoted = QuotedOf(sessions, terms.Quotes)
	c.Pairs, c.Beside = beside.Of(sessions), beside.Records(sessions)
	if len(c.Rows) == 0 && len(c.Amounts) == 0 {
		if !slices.ContainsFunc(c.Outcomes, func(o outcome.Outcome) bool { return o.Failed() }) {
			return c, errors.New("nothing to compare: " + nothingShared(sessions, all))
		}
		c.NotShared = nothingShared(sessions, all)
	}
	c.finish()
	return c, nil
}

func newRow(key session.Key, all []Loads) (Row, bool) {
	metric := MetricOf(key)
	row := Row{Label: key.String(), Metric: metric, HigherIsBetter: metric.HigherIsBetter(), Load: key,
		Folded: key.IsCopy() && !key.IsWholeCopy()}
	shared := false
	for i := range all {
		figure := all[i].Figures[key]
		row.Figures = append(row.Figures, figure)
		var against *Contrast
		if i > 0 && figure.Known {
			made := contrast(metric, row.Figures[0], figure)
			against, shared = &made, true
		}
		row.Contrasts = append(row.Contrasts, against)
	}
	return row, shared
}

// nothingShared says that no load is in common, and what would be.
func nothingShared(sessions []*session.Session, all []Loads) string {
	texts := make([]string, len(sessions))
	for i, side := range sessions {
		var labels []string
		for _, key := range all[i].Order {
			labels = append(labels, key.String())
		}
		if len(labels) > 4 {
			labels = append(labels[:4], fmt.Sprintf("and %d more", len(labels)-4))
		}
		texts[i] = side.DisplayName() + " has " + strings.Join(labels, "; ")
		if len(labels) == 0 {
			texts[i] = side.DisplayName() + " has no whole pass"
		}
	}
	how := "measure both with the same plan"
	if first, other := sessions[0].Plan.Name, sessions[len(sessions)-1]; first != "" && first != other.Plan.Name {
		how += fmt.Sprintf(", as %s with --plan %s", other.DisplayName(), first)
	}
	return fmt.Sprintf("no session has a pass in common with the first: %s; %s",
		strings.Join(texts, ". "), how)
}

func differencesOf(sides []Side) []Difference {
	sets := make([]factor.Set, len(sides))
	for i, side := range sides {
		sets[i] = side.Factors
	}
	var differ []Difference
	for _, key := range factor.Keys(sets...) {
		difference := Difference{Key: key}
		unlike := false
		for _, set := range sets {
			difference.Values = append(difference.Values, set[key])
			unlike = unlike || !factor.Alike(set[key], sets[0][key])
		}
		if unlike {
			differ = append(differ, difference)
		}
	}
	keys := make([]string, len(differ))
	for i := range differ {
		keys[i] = differ[i].Key
	}
	kept := factor.Own(keys)
	for i := range differ {
		differ[i].Follows = !slices.Contains(kept, differ[i].Key)
	}
	return differ
}

// WithBaseline gives the sessions with that one first that has passes in common with
// the most of the others.
func WithBaseline(sessions []*session.Session) []*session.Session {
	all := make([]Loads, len(sessions))
	for i, s := range sessions {
		all[i] = LoadsOf(s)
	}
	best, most := 0, -1
	for i := range sessions {
		count := 0
		for other := range sessions {
			if other != i && sharing(all[i], all[other]) {
				count++
			}
		}
		if count > most {
			best, most = i, count
		}
	}
	ordered := []*session.Session{}
	if len(sessions) > 0 {
		ordered = append(ordered, sessions[best])
		ordered = append(append(ordered, sessions[:best]...), sessions[best+1:]...)
	}
	return ordered
}

func sharing(a, b Loads) bool {
	return slices.ContainsFunc(a.Order, func(key session.Key) bool { return b.Figures[key].Known })
}

// Shared leaves out the sessions that have no pass in common with the baseline.
func (c Comparison) Shared() Comparison {
	kept := Comparison{Findings: []session.Finding{}, Rows: slices.Clone(c.Rows), bench: c.bench}
	kept.Amounts, kept.Quoted = slices.Clone(c.Amounts), c.Quoted
	var shared []int
	for i := range c.Sides {
		if i == 0 || slices.ContainsFunc(c.Rows, func(r Row) bool { return r.Contrasts[i] != nil }) {
			shared = append(shared, i)
		}
	}
	kept.Sides, kept.Outcomes = pick(c.Sides, shared), pick(c.Outcomes, shared)
	for i := range kept.Rows {
		row := &kept.Rows[i]
		row.Figures, row.Contrasts = pick(row.Figures, shared), pick(row.Contrasts, shared)
	}
	for i := range kept.Amounts {
		a := &kept.Amounts[i]
		a.Curves, a.Crossings = pick(a.Curves, shared), pick(a.Crossings, shared)
	}
	kept.finish()
	return kept
}

// pick gives the elements at some places.
func pick[T any](from []T, places []int) []T {
	made := make([]T, len(places))
	for i, place := range places {
		made[i] = from[place]
	}
	return made
}

// finish computes what follows from sides and rows.
func (c *Comparison) finish() {
	c.Differences = differencesOf(c.Sides)
	c.record()
	c.addQuantities()
	for i := 1; i < len(c.Sides); i++ {
		finding, ok := confounded(c.Sides, i, c.bench)
		if ok {
			c.Findings = append(c.Findings, finding)
		}
		c.Verdicts = append(c.Verdicts, c.verdict(i, ok))
	}
}
