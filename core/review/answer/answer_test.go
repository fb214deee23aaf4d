package answer

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/design"
	"opengauge/core/review/reading"
	"opengauge/examples"
)

// asked reads a review of the demo's parts, which decides by the rate of writes.
func asked(t *testing.T, compared, decide, budget string) review.Review {
	t.Helper()
	b, err := book.Parse(examples.BenchName, examples.Bench)
	if err != nil {
		t.Fatal(err)
	}
	r, err := review.Parse("review.yaml", []byte("review: r\nquestion: q\n"+compared+"\nmeasure: [{plan: long-write}]\n"+
		"decide: {largest: rate, of: write"+decide+"}\nbudget: {"+budget+"}\n"), b)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// seen is a state of visits whose figures are what a function says of cell, day and turn.
func seen(r *review.Review, days, turns int, figure func(c *review.Cell, day, turn int) float64) *reading.State {
	st := &reading.State{}
	for day := range days {
		for turn := range turns {
			for _, c := range r.Cells() {
				value := figure(&c, day, turn)
				if value == 0 {
					continue
				}
				st.Visits = append(st.Visits, reading.Visit{Whole: true, Figure: value, Host: c.Host(),
					Sessions: []*session.Session{{}}, Visit: design.Visit{Cell: c.Name, Number: day*turns + turn + 1,
						Order: len(st.Visits) + 1, Day: fmt.Sprint(day)}})
			}
		}
	}
	return st
}

// answering makes an answer, with what it was made by.
func answering(r review.Review, st *reading.State) (Answer, *judge) {
	d := design.New(r)
	j := &judge{review: &r, design: d, state: st}
	j.models = modelsOf(st.Visits, func(v *reading.Visit) float64 { return v.Goodness(r.Decide.Figure) })
	return Of(d, st), j
}

const four = "compare: {drive: [sandpiper, dunlin, curlew, turnstone]}\nwith: {host: deck-tablet, enclosure: limpet}"

// wobble is noise of one in a hundred that is the same every time.
func wobble(seed ...int) float64 {
	mixed := uint64(7)
	for _, s := range seed {
		mixed = mixed*31 + uint64(s)
	}
	return math.Exp(rand.New(rand.NewPCG(mixed, 1)).NormFloat64() * 0.01)
}

// The best of four has to stand against three: its doubt counts so often.
func TestTheBestOfMany(t *testing.T) {
	r := asked(t, four, "", "")
	rates := map[string]float64{"sandpiper": 1000, "dunlin": 990, "curlew": 985, "turnstone": 970}
	a, j := answering(r, seen(&r, 1, 3, func(c *review.Cell, day, turn int) float64 {
		return rates[c.Storage()] * wobble(len(c.Name), turn)
	}))
	g := groups(&r, nil)[0]
	for i, o := range a.Verdicts[0].Options {
		most := 0.0
		for k := range g.options {
			if k != i {
				most = max(most, j.doubt(&g.options[i], &g.options[k], nil))
			}
		}
		if want := 1 - min(3*most, 1); !(math.Abs(o.Sure-want) <= 1e-12) || most == 0 {
			t.Errorf("%s is %g sure, want %g", o.Name, o.Sure, want)
		}
	}
}

// The worst of one against the worst of the other: which of the other's levels is its worst
// was picked, so that the doubt counts for each.
func TestTheWorst(t *testing.T) {
	r := asked(t, "compare: {host: [cabin-desk.front, deck-tablet], enclosure: [limpet, barnacle]}\nwith: {cable: "+
		"short-cable, "+
		"drive: sandpiper}", ", worst-of: host", "")
	_, j := answering(r, seen(&r, 1, 3, func(c *review.Cell, _, turn int) float64 {
		return map[string]float64{"limpet": 1000, "barnacle": 1020}[c.Of("enclosure")] * wobble(len(c.Name), turn)
	}))
	g := groups(&r, nil)[0]
	a, b := &g.options[0], &g.options[1]
	least := 1.0
	for _, other := range byLevels(b, []string{"host"}) {
		most := 0.0
		for _, own := range byLevels(a, []string{"host"}) {
			e := j.models.of(difference(&own, &other, nil))
			most = max(most, e.doubtAbove(-j.margin()))
		}
		least = min(least, most)
	}
	if got := j.doubtOfWorst(a, b, nil); !(math.Abs(got-min(2*least, 1)) <= 1e-12) || least >= 0.5 {
		t.Errorf("doubt %g, want twice %g", got, least)
	}
}

// What is surely behind is out, unless it is cheaper and behind by less than matters.
func TestOutOfTheRace(t *testing.T) {
	r := asked(t, four, "", "owned: [deck-tablet]")
	rates := map[string]float64{"sandpiper": 970, "dunlin": 1000, "curlew": 700, "turnstone": 975}
	a, _ := answering(r, seen(&r, 1, 6, func(c *review.Cell, _, turn int) float64 {
		return rates[c.Storage()] * math.Pow(wobble(len(c.Name), turn), 0.2)
	}))
	out := map[string]bool{}
	for _, o := range a.Verdicts[0].Options {
		out[o.Name] = o.Out != ""
	}
	// All of these cost less than the dunlin; the curlew is behind by more than matters.
	if out["sandpiper"] || out["turnstone"] || !out["curlew"] || out["dunlin"] {
		t.Errorf("out are %v", out)
	}
	if v := a.Verdicts[0]; v.Named != "sandpiper" || !v.Settled || !v.Cheaper {
		t.Errorf("%+v", v)
	}
	owned := asked(t, four, "", "owned: [deck-tablet, limpet, sandpiper, dunlin, curlew, turnstone]")
	a, _ = answering(owned, seen(&owned, 1, 6, func(c *review.Cell, _, turn int) float64 {
		return rates[c.Storage()] * math.Pow(wobble(len(c.Name), turn), 0.2)
	}))
	if o := a.Verdicts[0].Options[0]; o.Out == "" {
		t.Errorf("at one price %s is still in, although it is surely behind", o.Name)
	}
}

// While a cheaper one may do as well its cells are visited, and those of the one that it
// is held against.
func TestUndecided(t *testing.T) {
	r := asked(t, four, "", "owned: [deck-tablet]")
	rates := map[string]float64{"sandpiper": 955, "dunlin": 1000, "curlew": 700, "turnstone": 500}
	a, _ := answering(r, seen(&r, 1, 4, func(c *review.Cell, _, turn int) float64 {
		return rates[c.Storage()] * wobble(len(c.Name), turn)
	}))
	v := a.Verdicts[0]
	if !v.Settled || v.Named != "dunlin" || strings.Join(v.Undecided, " ") != "sandpiper" || a.Decided() {
		t.Fatalf("%+v", v)
	}
	out := a.Out()
	for _, c := range r.Cells() {
		if want := c.Storage() == "curlew" || c.Storage() == "turnstone"; out[c.Name] != want {
			t.Errorf("%s is out: %v", c.Name, out[c.Name])
		}
	}
}

// A host that is slower on one day alone spoils nothing that is held against each other at
// one host; what was measured before the review on the same day is a block of its own.
func TestBlocks(t *testing.T) {
	r := asked(t, "compare: {host: [cabin-desk.front, deck-tablet], enclosure: [limpet, barnacle]}\nwith: {cable: "+
		"short-cable, "+
		"drive: sandpiper}", ", given: host", "")
	st := seen(&r, 2, 2, func(c *review.Cell, day, _ int) float64 {
		rate := map[string]float64{"limpet": 1000, "barnacle": 1100}[c.Of("enclosure")]
		if day == 1 && c.Host() == "deck-tablet" {
			rate *= 0.7
		}
		return rate
	})
	for i := range 2 {
		early := st.Visits[i]
		early.Adopted, early.Figure, early.Order = true, early.Figure*0.6, 0
		st.Visits = append([]reading.Visit{early}, st.Visits...)
	}
	a, _ := answering(r, st)
	if !(a.Spread <= 2*least) {
		t.Errorf("set-ups differ by %g", a.Spread)
	}
	for _, v := range a.Verdicts {
		if v.Named != "barnacle" || v.Ahead == nil || !(math.Abs(v.Ahead.Share-0.1) <= 1e-6) {
			t.Errorf("%+v ahead by %+v", v.Given, v.Ahead)
		}
	}
	if !strings.Contains(strings.Join(a.Notes, " "), "2 of 18 visits were measured before the review") {
		t.Errorf("%q", a.Notes)
	}
}

// Factors interact only if it matters.
func TestInteractionThatMatters(t *testing.T) {
	for by, want := range map[float64]int{1.04: 1, 1.3: 2} {
		r := asked(t, "compare: {host: [cabin-desk.front, deck-tablet], enclosure: [limpet, barnacle]}\nwith: {cable: "+
			"short-cable, drive: sandpiper}", ", over: host", "owned: [cabin-desk, deck-tablet, short-cable, "+
			"limpet, barnacle, sandpiper]")
		a, _ := answering(r, seen(&r, 1, 5, func(c *review.Cell, _, turn int) float64 {
			rate := 1000 * math.Pow(wobble(len(c.Name), turn), 0.1)
			if c.Of("enclosure") == "barnacle" && c.Host() == "deck-tablet" {
				rate *= by
			}
			return rate
		}))
		if len(a.Verdicts) != want {
			t.Errorf("by %g there are %d verdicts, want %d", by, len(a.Verdicts), want)
		}
	}
}

// A control that moves no more than set-ups do is no drift.
func TestNoDrift(t *testing.T) {
	r := asked(t, four, "", "")
	st := seen(&r, 1, 20, func(c *review.Cell, _, turn int) float64 { return 1000 * wobble(len(c.Name), turn) })
	st.Visits[len(st.Visits)-4].Control = true
	if a, _ := answering(r, st); len(a.Drifted) != 0 {
		t.Errorf("%+v", a.Drifted)
	}
	st.Visits[len(st.Visits)-4].Figure *= 1.3
	if a, _ := answering(r, st); len(a.Drifted) != 1 {
		t.Errorf("%+v", a.Drifted)
	}
}

// The visit that helps most is one of the cell that was visited least.
func TestWhatHelpsMost(t *testing.T) {
	r := asked(t, "compare: {drive: [sandpiper, dunlin]}\nwith: {host: deck-tablet, enclosure: limpet}", "", "")
	a, _ := answering(r, seen(&r, 1, 6, func(c *review.Cell, _, turn int) float64 {
		if c.Storage() == "dunlin" && turn > 1 {
			return 0
		}
		return 1000 * math.Pow(wobble(len(c.Name), turn), 6)
	}))
	if a.Settled() || a.Next == nil || a.Next.Cell != "dunlin" {
		t.Errorf("settled %v, next %+v", a.Settled(), a.Next)
	}
}

// Of cells that only one of two options has nothing is said between them.
func TestAveragedOverWhatBothHave(t *testing.T) {
	r := asked(t, "compare:\n  enclosure: [limpet, barnacle]\n  drive: [sandpiper, dunlin]\n  fan: [automatic, "+
		"passive]\nwith: "+
		"{host: cabin-desk.front, cable: short-cable}", ", over: [drive, fan], matters: 20%", "")
	// The barnacle alone has an automatic fan, and the limpet alone is passive.
	if len(r.Cells()) == 8 {
		t.Fatalf("all of %d cells can be", len(r.Cells()))
	}
	g := groups(&r, nil)[0]
	weights := difference(&g.options[0], &g.options[1], r.Decide.Over)
	sum := 0.0
	for _, weight := range weights {
		sum += weight
	}
	if len(weights) != len(r.Cells()) || !(math.Abs(sum) <= 1e-9) {
		t.Errorf("nothing in common, so that all cells count: %v", weights)
	}
	half := option{name: "half", cells: g.options[0].cells[:1]}
	weights = difference(&half, &option{name: "whole", cells: g.options[0].cells}, []string{"drive"})
	if len(weights) != 1 {
		t.Errorf("only the first cell is in both: %v", weights)
	}
}

// A reason is said where it is one: given a host, of that host's cells.
func TestReasonsGivenAHost(t *testing.T) {
	r := asked(t, "compare: {host: [cabin-desk.front, deck-tablet], enclosure: [limpet, barnacle]}\nwith: {cable: "+
		"short-cable, "+
		"drive: sandpiper}", ", given: host", "")
	a, _ := answering(r, seen(&r, 1, 5, func(c *review.Cell, _, turn int) float64 {
		rate := 1000 * wobble(len(c.Name), turn)
		if c.Of("enclosure") == "barnacle" && c.Host() == "cabin-desk" {
			rate *= 2
		}
		return rate
	}))
	told := map[string]Reason{}
	for _, reason := range a.Reasons {
		if reason.Factor == "enclosure" {
			told[strings.Join(strings.Fields(reason.Says)[5:8], " ")] = reason
		}
	}
	for _, reason := range told {
		if at := strings.Contains(reason.Says, "cabin-desk"); reason.Known != at ||
			at && !(math.Abs(reason.Share-1) <= 0.05) ||
			!at && !(math.Abs(reason.Share) <= 0.05) {
			t.Errorf("%s, known %v", reason.Says, reason.Known)
		}
	}
	if len(told) != 2 {
		t.Errorf("%+v", a.Reasons)
	}
}

// What must be is judged by each session, and what was not measured is not known.
func TestMustsOfSessions(t *testing.T) {
	r := asked(t, four, ", must: {carries: recorders, no-dropout: yes, warmest-at-most: 60C}", "")
	g := groups(&r, nil)[0]
	fine := &session.Session{}
	gone := &session.Session{Findings: []session.Finding{{Kind: "dropout"}}}
	for name, c := range map[string]struct {
		sessions []*session.Session
		want     []Met
	}{
		"nothing":      {nil, []Met{NotKnown, NotKnown, NotKnown}},
		"no long pass": {[]*session.Session{fine}, []Met{NotKnown, Yes, NotKnown}},
		"one of two":   {[]*session.Session{fine, gone}, []Met{NotKnown, No, NotKnown}},
	} {
		var visits []*reading.Visit
		if c.sessions != nil {
			visits = []*reading.Visit{{Sessions: c.sessions}}
		}
		var got []Met
		for _, m := range mustsOf(&r, &g.options[0], visits) {
			got = append(got, m.Met)
			if m.Why == "" {
				t.Errorf("%s: it is not said why %s is %s", name, m.Must, m.Met)
			}
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}

// A review goes on until its budget is spent.
func TestBudgetIsSpent(t *testing.T) {
	r := asked(t, four, "", "hours-at-most: 2.5, owned: [deck-tablet]")
	d := design.New(r)
	st := &reading.State{}
	for {
		a := Of(d, st)
		next, ends := Goes(d, st, &a, design.Here{Day: "0"})
		if ends != "" {
			if !strings.Contains(ends, "hours-at-most is 2.5") || len(st.Visits) < 8 || len(st.Visits) > 14 {
				t.Errorf("after %d visits: %s", len(st.Visits), ends)
			}
			return
		}
		st.Visits = append(st.Visits, reading.Visit{Visit: next, Whole: true, Figure: 1000 *
			math.Pow(wobble(next.Order), 8), Host: "deck-tablet", Sessions: []*session.Session{{}}})
	}
}

// A reason is told by pairs of cells that differ in its factor alone, with what they gave.
func TestReasonsNameTheirPairs(t *testing.T) {
	r := asked(t, "compare: {host: [cabin-desk.front, deck-tablet], cable: [short-cable, deck-cable], enclosure: "+
		"[limpet, barnacle]}\nwith: {drive: sandpiper}", ", over: host", "")
	const slow = 400.0
	a, _ := answering(r, seen(&r, 1, 3, func(c *review.Cell, _, turn int) float64 {
		rate := 1000.0
		if c.Of("cable") == "deck-cable" {
			rate = slow
		}
		return rate * wobble(len(c.Name), turn)
	}))
	for _, reason := range a.Reasons {
		if len(reason.Pairs) != 4 {
			t.Errorf("%s: %d pairs, want those of the other two factors", reason.Says, len(reason.Pairs))
		}
		for _, pair := range reason.Pairs {
			from, _ := r.Cell(pair.From)
			to, _ := r.Cell(pair.To)
			if from.Of(reason.Factor) != reason.From || to.Of(reason.Factor) != reason.To {
				t.Errorf("%s: the pair %+v is of other levels", reason.Says, pair)
			}
			for _, other := range []string{"host", "cable", "enclosure"} {
				if other != reason.Factor && from.Of(other) != to.Of(other) {
					t.Errorf("%s: the pair %+v differs in %s too", reason.Says, pair, other)
				}
			}
			want := 1.0
			if reason.Factor == "cable" {
				want = slow / 1000
				if reason.To == "short-cable" {
					want = 1000 / slow
				}
			}
			if share := pair.ToFigure / pair.FromFigure; !(math.Abs(share/want-1) <= 0.05) {
				t.Errorf("%s: from %v to %v is %v, want %v", reason.Says, pair.FromFigure, pair.ToFigure, share, want)
			}
		}
		if none := reason.Factor != "cable"; reason.None != none || reason.Known == none {
			t.Errorf("%s: known %v, none that matters %v", reason.Says, reason.Known, reason.None)
		}
	}
	if len(a.Reasons) != 3 {
		t.Errorf("%d reasons", len(a.Reasons))
	}
	uneven := Reason{Pairs: []Pair{{FromFigure: 100, ToFigure: 73}, {FromFigure: 100, ToFigure: 102}, {FromFigure: 50,
		ToFigure: 50}}}
	if least, most := uneven.Between(); !(math.Abs(least+0.27) < 1e-9) || !(math.Abs(most-0.02) < 1e-9) {
		t.Errorf("pairs are between %v and %v", least, most)
	}
}
