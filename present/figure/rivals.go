package figure

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"opengauge/core/judge/explain"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var rivalsForm = Form{
	Name: "rivals", Question: "What may have brought it about?",
	Section: "rivals", Title: "Rival explanations", Fold: "What speaks for each", OverTime: true,
	Missing: "has no pass over which explanations compete, so there is nothing to draw",
	Of: each(func(s *session.Session, subject Subject) []Figure {
		rivals, ok := RivalsOf(s, subject.Findings[s.ID], subject.Notation)
		alone := len(subject.Sessions) == 1 && !subject.Brief
		return one(rivals, ok && (alone || rivals.First.Share < settled))
	}),
}

// settled is the share from which on an explanation is not drawn beside its rival, where
// there is much else to see.
const settled = 0.95

// Rivals are the two likeliest explanations of a recording, drawn over it.
type Rivals struct {
	ID, Title, Subtitle string
	Seconds             float64
	// Unit is that of all values: "MB/s".
	Unit      string
	Writes    bool
	Recording Line
	// First is the likelier one.
	First, Second Rival
}

// Rival is one explanation.
type Rival struct {
	Name string
	Says string
	// Share is from 0 to 1.
	Share float64
	Curve Line
	// Reasons are what moved its odds, the weightiest first, as natural logarithms.
	Reasons []session.Reason
}

// RivalsOf are those of the pass of a session that is settled least, of those that
// explanations found something in.
func RivalsOf(s *session.Session, findings []session.Finding, notation unit.Notation) (Rivals, bool) {
	var best *session.Pass
	least := math.Inf(1)
	for _, f := range findings {
		if len(f.Shares) < 2 || len(f.Passes) == 0 || f.Shares[0].Share >= least {
			continue
		}
		if pass := s.PassAt(f.Passes[0]); pass != nil {
			best, least = pass, f.Shares[0].Share
		}
	}
	if best == nil {
		return Rivals{}, false
	}
	return newRivals(s, best, notation)
}

func newRivals(s *session.Session, pass *session.Pass, notation unit.Notation) (Rivals, bool) {
	verdict := explain.Pass(s, pass)
	if len(verdict.Shares) < 2 {
		return Rivals{}, false
	}
	first := verdict.Shares[0]
	second := verdict.Rival()
	r := Rivals{
		ID: fmt.Sprintf("rivals-%s-%d", s.ID, pass.Index), Title: s.DisplayName() + ": " + pass.Label(),
		Unit: notation.Unit(), Writes: pass.Operation != load.Read, Recording: Line{Name: "recorded"},
		First: newRival(&verdict, first, notation), Second: newRival(&verdict, second, notation),
	}
	r.Subtitle = fmt.Sprintf("how it may have come to be: %s %s, or %s %s", r.First.Name, percent(r.First.Share),
		r.Second.Name, percent(r.Second.Share))
	for _, sample := range pass.Samples {
		r.Seconds = sample.TSeconds
		r.Recording.Points = append(r.Recording.Points, Point{sample.TSeconds, notation.Value(sample.BytesPerSecond)})
	}
	r.Recording.Points = thinned(r.Recording.Points)
	return r, len(r.Recording.Points) > 1 && len(r.First.Curve.Points) > 1
}

func percent(share float64) string {
	if share > 0 && share < 0.005 {
		return "below 1 %"
	}
	return fmt.Sprintf("%.0f %%", math.Min(share, 0.99)*100)
}

func newRival(v *explain.Verdict, s explain.Share, notation unit.Notation) Rival {
	r := Rival{Name: s.Explanation.Name, Says: s.Explanation.Says, Share: s.Share, Curve: Line{Name: s.Explanation.Name}}
	curve := v.Curve(s)
	for i := range curve.Seconds {
		r.Curve.Points = append(r.Curve.Points, Point{curve.Seconds[i],
			notation.Value(unit.BytesPerSecond(curve.Rates[i]))})
	}
	for _, fact := range s.Facts {
		r.Reasons = append(r.Reasons, session.Reason{Says: fact.Says, LogOdds: fact.Nats})
	}
	slices.SortStableFunc(r.Reasons, func(a, b session.Reason) int {
		return cmp.Compare(math.Abs(b.LogOdds), math.Abs(a.LogOdds))
	})
	return r
}

// Head is what stands over the figure.
func (r Rivals) Head() Head {
	return Head{ID: r.ID, Title: r.Title, Subtitle: r.Subtitle, Message: r.message()}
}

// sameLine says why only one line is seen.
const sameLine = "Both draw the same line; what tells them apart is said here."

// Same says whether both explanations draw the same line.
func (r Rivals) Same() bool { return slices.Equal(r.First.Curve.Points, r.Second.Curve.Points) }

// Summary says in words what it shows.
func (r Rivals) Summary() string {
	return fmt.Sprintf("Two explanations of throughput over %.0f seconds: %s (%s), at %s; and %s (%s), at %s.", r.Seconds,
		r.First.Name, r.First.Says, percent(r.First.Share), r.Second.Name, r.Second.Says, percent(r.Second.Share))
}

// Table lists what moved the odds of each.
func (r Rivals) Table() table.Table {
	t := table.Table{Columns: []table.Column{table.Text("explanation"), table.Number("share"), table.Number("log-odds"),
		table.Text("what the recording shows")}}
	for _, rival := range []Rival{r.First, r.Second} {
		for i, reason := range rival.Reasons {
			name, share := rival.Name, percent(rival.Share)
			if i > 0 {
				name, share = "", ""
			}
			t.Rows = append(t.Rows, []string{name, share, Signed(reason.LogOdds), reason.Says})
		}
	}
	return t
}

// Signed writes log-odds: "+2.1", "−0.4".
func Signed(v float64) string {
	return strings.Replace(fmt.Sprintf("%+.1f", v), "-", "−", 1)
}

// Top is the end of the axis of throughput.
func (r Rivals) Top() float64 {
	return HeatTrace{Throughput: r.Recording}.ThroughputTop()
}
