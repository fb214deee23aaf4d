package reading

import (
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/unit"
	"opengauge/examples"
)

// twice is a review that measures two things, one of them twice.
func twice(t *testing.T) *review.Review {
	t.Helper()
	b, err := book.Parse(examples.BenchName, examples.Bench)
	if err != nil {
		t.Fatal(err)
	}
	r, err := review.Parse("review.yaml", []byte("review: r\nquestion: q\ncompare: {drive: [sandpiper, dunlin]}\nwith: "+
		"{enclosure: limpet}\nmeasure:\n  - {plan: long-write, times: 2}\n  - {plan: quick}\ndecide: {largest: rate, of: "+
		"\"write sequential 1MiB, depth 8\"}\n"), b)
	if err != nil {
		t.Fatal(err)
	}
	return &r
}

// marked is a session of the sandpiper's first visit.
func marked(r *review.Review, measurement string, turn int, rate unit.BytesPerSecond) *session.Session {
	s := &session.Session{ID: measurement, State: session.Complete, Started: time.Unix(int64(turn), 0),
		Review: &session.Visit{Name: r.Name, Cell: "sandpiper", Visit: 1, Order: 1, Definition: r.Definition(),
			Measurement: measurement, Turn: turn, Day: "1"},
		Passes: []session.Pass{{Load: load.New(load.Write, load.Sequential, unit.MiB, 8), BytesPerSecond: rate}}}
	for _, m := range r.Measure {
		if m.Name == measurement {
			s.Plan = m.Plan
		}
	}
	return s
}

// A visit counts once all that is measured is there, as often as it has to be.
func TestWholeVisits(t *testing.T) {
	r := twice(t)
	first, second := marked(r, "long-write", 1, 1000), marked(r, "long-write", 2, 1210)
	quick := marked(r, "quick", 1, 1100)
	quick.Passes[0].Depth = 1 // of another load
	cut := marked(r, "long-write", 2, 5000)
	cut.State = session.Interrupted
	again := marked(r, "long-write", 1, 1000)
	failed := marked(r, "long-write", 2, 0)
	failed.State = session.Failed
	other := marked(r, "quick", 1, 1100)
	other.Plan = first.Plan
	for name, c := range map[string]struct {
		sessions []*session.Session
		counts   bool
		void     string
		figure   float64
	}{
		"whole":             {[]*session.Session{first, second, quick}, true, "", 1100},
		"a turn is missing": {[]*session.Session{first, quick}, false, "interrupted", 1000},
		"one turn twice":    {[]*session.Session{first, again, quick}, false, "interrupted", 1000},
		"one is missing":    {[]*session.Session{first, second}, false, "interrupted", 1100},
		"one was cut":       {[]*session.Session{first, cut, quick}, false, "interrupted", 1000},
		"it failed":         {[]*session.Session{first, failed}, true, "", 1000},
		"another plan":      {[]*session.Session{first, second, other}, false, "interrupted", 1100},
	} {
		st := Of(r, c.sessions)
		if len(st.Visits) != 1 {
			t.Fatalf("%s: %d visits", name, len(st.Visits))
		}
		v := &st.Visits[0]
		if v.Counts() != c.counts || !strings.Contains(v.Void, c.void) || (c.void == "") != (v.Void == "") ||
			!(v.Figure > c.figure-0.01 && v.Figure < c.figure+0.01) {
			t.Errorf("%s: counts %v, void %q, figure %g", name, v.Counts(), v.Void, v.Figure)
		}
		if made := st.Made(); (len(made) == 1) != c.counts || st.NextOrder() != 2 {
			t.Errorf("%s: %d are made, and next is %d", name, len(made), st.NextOrder())
		}
		if (name == "another plan") != (len(st.Rejected) == 1) {
			t.Errorf("%s: rejected %v", name, st.Rejected)
		}
	}
}
