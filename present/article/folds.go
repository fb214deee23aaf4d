package article

import (
	"fmt"
	"runtime"

	"golang.org/x/sync/errgroup"

	"opengauge/core/judge/beside"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// folds have all of every session: its findings, figures and tables.
func folds(r Report) []Fold {
	list := make([]Fold, len(r.Sessions))
	var all errgroup.Group
	all.SetLimit(runtime.GOMAXPROCS(0))
	for i, s := range r.Sessions {
		all.Go(func() error {
			list[i] = foldOf(r, s)
			return nil
		})
	}
	_ = all.Wait() // none fails
	return list
}

func foldOf(r Report, s *session.Session) Fold {
	name := s.DisplayName()
	f := Fold{Title: name}
	if titleOf(s) != name {
		f.Title += ": " + titleOf(s)
	}
	f.Blocks = noted(r.Findings[s.ID])
	if len(f.Blocks) == 0 {
		f.Blocks = []Block{{Text: "No finding: nothing in this session looks wrong or in need of a word."}}
	}
	alone := r.Subject
	alone.Sessions = []*session.Session{s}
	for _, kind := range figure.Forms {
		// Chains and amounts are drawn once for all sessions, in sections of their own.
		if kind.Together && (kind.Name != "moves" || len(r.Sessions) > 1) ||
			kind.Name == "chain-strip" && len(r.Sessions) > 1 {
			continue
		}
		for _, each := range kind.Of(alone) {
			f.Blocks = append(f.Blocks, withTable(kind, each)...)
		}
	}
	if s.Plan.About != "" {
		f.Blocks = append(f.Blocks, Block{Text: "Plan " + s.Plan.Name + ": " + s.Plan.About})
	}
	planned := table.PlannedPasses(s.Plan.Passes(plan.DefaultHold))
	for _, each := range []struct {
		name, label string
		table       table.Table
		long        bool
	}{
		{"passes", "Passes of %s", table.Passes(s, r.Notation), len(s.Passes) > mostSearched},
		{"copies", "Copies of %s", copiesOf(s, r), false},
		{"starts", "Starts of %s", table.Starts(s), false},
		{"at-once", "Targets at once of %s", table.Contentions(s, r.Notation), false},
		{"shares", "Shares over time of %s", table.Shares(s, r.Notation), true},
		{"repeats", "Repeats of %s", table.Repeats(s, r.Notation), false},
		{"round-trips", "Round trips of %s", table.RoundTrips(s), false},
		{"power", "Power of %s", table.Power(s, r.Notation), len(s.Passes) > mostSearched},
		{"rests", "Rests of %s", table.Rests(s), false},
		{"beside", "Another load beside %s", table.Beside(beside.Of([]*session.Session{s}), r.Notation), false},
		{"circumstances", "Circumstances of %s", table.Circumstances(s), false},
		{"plan", "What the plan of %s asks for", planned, len(planned.Rows) > mostPlanned},
	} {
		if len(each.table.Rows) > 0 {
			f.Blocks = append(f.Blocks, Block{Table: &Tabled{each.table, each.name + "-" + name, fmt.Sprintf(each.label, name),
				each.long}})
		}
	}
	return f
}

// mostPlanned is how many steps of a plan are, and mostSearched how many rows of passes are there to be found by words.
const mostPlanned, mostSearched = 12, 100

// copiesOf is the table of a session's copies, without rows where it has none.
func copiesOf(s *session.Session, r Report) table.Table {
	if len(s.Copies) == 0 {
		return table.Table{}
	}
	return table.Copies(s, r.Notation)
}
