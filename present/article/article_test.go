package article

import (
	"slices"
	"strings"
	"testing"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/recorded"
	"opengauge/present/figure"
)

// of is the article about recorded sessions.
func of(t *testing.T, names ...string) Article {
	t.Helper()
	return about(recorded.Named(t, names...))
}

func about(sessions []*session.Session) Article {
	r := Report{Title: "t", Subject: figure.Subject{Sessions: sessions, Findings: map[string][]session.Finding{}}}
	for _, s := range sessions {
		r.Findings[s.ID] = finding.Detect(s, unit.Decimal)
	}
	if made, err := compare.New(sessions, compare.Terms{Findings: r.Findings}); err == nil && len(sessions) > 1 {
		made = made.Shared()
		r.Comparison = &made
	}
	return New(r)
}

// The first screen says the sharpest thing that is fair, and shows it.
func TestTheLeadIsFair(t *testing.T) {
	for _, c := range []struct {
		sessions     []string
		answer, kind string
	}{
		// One thing differs, and the difference is sure.
		{[]string{"barnacle-automatic", "barnacle-fan-on"}, "Fan on instead of automatic: write sequential 1 MiB, depth 8, " +
			"sustained, 13 % faster, all else equal.", "comparison"},
		// The same among others that differ in more.
		{[]string{"limpet-passive", "dunlin-long", "barnacle-automatic", "barnacle-fan-on", "limpet-depth-map"},
			"Fan on instead of automatic: ", "comparison"},
		// Host and cable were swapped together.
		{[]string{"deck-long-cable", "cabin-short-cable"}, "Nobody can say what makes the difference, as they differ in " +
			"cable and host together.", "comparison"},
		// All four of a square tell both apart, and the larger effect is said.
		{[]string{"deck-long-cable", "cabin-long-cable", "deck-short-cable", "cabin-short-cable"},
			"Cable short-cable instead of deck-cable: ", "comparison"},
		{[]string{"limpet-quick", "lagoon-burst"}, "2 sessions that have no load in common", ""},
		{[]string{"whelk"}, "The device vanished 67 s into the session", "heat-trace"},
		// Throughput went through levels: an average of it would not be fair.
		{[]string{"barnacle-fan-on", "dunlin-long"}, "dunlin-long against barnacle-fan-on: ", ""},
		{[]string{"dunlin-full"}, "Writes fell from ", "heat-trace"},
		{[]string{"limpet-quick"}, "The limit is port to limpet", "chain-strip"},
		{[]string{"copies"}, "large-file from ", "copy-matrix"},
	} {
		a := of(t, c.sessions...)
		if !strings.HasPrefix(a.Lead.Answer, c.answer) {
			t.Errorf("of %q it says %q, want %q", c.sessions, a.Lead.Answer, c.answer)
		}
		switch {
		case c.kind == "":
		case a.Lead.Figure == nil || a.Lead.Figure.Kind != c.kind:
			t.Errorf("of %q it shows %+v, want a %s", c.sessions, a.Lead.Figure, c.kind)
		case len(c.sessions) == 1 && c.kind == "heat-trace":
			trace := a.Lead.Figure.Figure.(figure.HeatTrace)
			if !slices.ContainsFunc(trace.Spans, func(s figure.Span) bool {
				return s.Kind == "dropout" || s.Kind == "cache-exhausted"
			}) {
				t.Errorf("its figure marks %+v, and not what it says", trace.Spans)
			}
		}
		for _, section := range a.Sections {
			if a.Lead.Figure != nil && slices.Contains(figuresIn(section.Blocks), a.Lead.Figure.Head().ID) {
				t.Errorf("of %q the lead's figure is shown again under %q", c.sessions, section.Title)
			}
		}
		if a.Lead.Tested == "" {
			t.Errorf("of %q it does not say what was tested", c.sessions)
		}
	}
}

// figuresIn are the ids of figures in blocks, those behind folds not.
func figuresIn(blocks []Block) []string {
	var ids []string
	for _, block := range blocks {
		if block.Figure != nil {
			ids = append(ids, block.Figure.Head().ID)
		}
	}
	return ids
}

// Whatever the sessions are, few figures are in the open, none of them twice, and none a
// pass; every session has its fold.
func TestFewFiguresAreInTheOpen(t *testing.T) {
	all := recorded.All(t)
	a := about(all)
	seen := map[string]bool{a.Lead.Figure.Head().ID: true}
	count := 0
	for _, section := range a.Sections {
		ids := figuresIn(section.Blocks)
		count += len(ids)
		if len(ids) > 3 {
			t.Errorf("%q has %d figures in the open", section.Title, len(ids))
		}
		for _, id := range ids {
			if seen[id] {
				t.Errorf("%s is shown twice", id)
			}
			seen[id] = true
			if strings.HasPrefix(id, "trace-") {
				t.Errorf("%s is a plot of one pass among %d sessions", id, len(all))
			}
		}
	}
	if count > 14 {
		t.Errorf("%d figures are in the open", count)
	}
	if len(a.Folds) != len(all) || len(a.Sessions) != len(all) {
		t.Errorf("%d folds and %d sessions of %d", len(a.Folds), len(a.Sessions), len(all))
	}
	last := ""
	for _, section := range a.Sections {
		last += section.ID + " "
	}
	if last != "chains comparison over-time moves copies ladders money watch method " && last !=
		"chains comparison over-time moves copies ladders watch method " {
		t.Errorf("the order is %s", last)
	}
}

// Sessions without series have an article too.
func TestSessionsWithoutSeries(t *testing.T) {
	var bare []*session.Session
	for _, s := range recorded.Named(t, "deck-long-cable", "deck-short-cable") {
		copied := *s
		copied.Passes = slices.Clone(s.Passes)
		for i := range copied.Passes {
			copied.Passes[i].Samples = nil
		}
		bare = append(bare, &copied)
	}
	a := about(bare)
	if !strings.HasPrefix(a.Lead.Answer, "Cable short-cable instead of deck-cable") || a.Lead.Figure == nil {
		t.Errorf("it says %q", a.Lead.Answer)
	}
	if empty := about([]*session.Session{{ID: "x", Name: "x"}}); empty.Lead.Answer == "" || len(empty.Folds) != 1 {
		t.Errorf("of a session with nothing in it: %+v", empty.Lead)
	}
}

// More notes and findings than there is room for are folded, and none is lost.
func TestWhatHasNoRoomIsFolded(t *testing.T) {
	s := recorded.Named(t, "limpet-quick")[0]
	copied := *s
	for range 10 {
		copied.Notes = append(copied.Notes, session.Remark{Text: "The long cable hung over the rail."})
	}
	a := about([]*session.Session{&copied})
	at := slices.IndexFunc(a.Sections, func(s Section) bool { return s.ID == "notes" })
	if at < 0 {
		t.Fatal("no notes")
	}
	blocks := a.Sections[at].Blocks
	fold := blocks[len(blocks)-1].Fold
	if len(blocks) != mostNotes+1 || fold == nil || len(fold.Blocks) != 10-mostNotes {
		t.Errorf("%d blocks, the last %+v", len(blocks), fold)
	}
}
