package answer

import (
	"fmt"
	"slices"

	"gonum.org/v1/gonum/stat"

	"opengauge/core/review/design"
	"opengauge/core/review/reading"
)

// State is how far a cell is.
type State string

// The states of a cell.
const (
	Done    State = "done"
	Worth   State = "worth a visit"
	Missing State = "missing"
	Dropped State = "out"
)

// Standing is how far a cell is, and why.
type Standing struct {
	Cell   string `json:"cell"`
	Visits int    `json:"visits"`
	// Void are visits that do not count.
	Void int `json:"void"`
	// Figure is the mean of its visits, as they were, in SI units; 0 is not known.
	Figure float64  `json:"figure"`
	State  State    `json:"state"`
	Why    string   `json:"why"`
	Notes  []string `json:"notes"`
}

// Standings are how far all cells are.
func Standings(d *design.Design, st *reading.State, a *Answer) []Standing {
	out := a.Out()
	var list []Standing
	for _, c := range d.Review.Cells() {
		s := Standing{Cell: c.Name, Notes: []string{}}
		var figures []float64
		for i := range st.Visits {
			v := &st.Visits[i]
			if v.Cell != c.Name {
				continue
			}
			s.count(v)
			if v.Known() {
				figures = append(figures, v.Figure)
			}
		}
		if len(figures) > 0 {
			s.Figure = stat.GeometricMean(figures, nil)
		}
		s.judge(a, out[c.Name], d.Review.Budget.VisitsLeast)
		list = append(list, s)
	}
	return list
}

func (s *Standing) count(v *reading.Visit) {
	if v.Counts() {
		s.Visits++
	} else {
		s.Void++
		s.Notes = append(s.Notes, fmt.Sprintf("visit %d does not count: %s.", v.Number, v.Void))
	}
	if v.NoFigure != "" {
		s.Notes = append(s.Notes, v.NoFigure+".")
	}
	for _, text := range v.Unprepared() {
		s.Notes = append(s.Notes, fmt.Sprintf("visit %d: %s.", v.Number, text))
	}
	for _, each := range v.Sessions {
		for _, n := range each.Notes {
			if n.Text != "" {
				s.Notes = append(s.Notes, n.Text)
			}
		}
	}
}

func (s *Standing) judge(a *Answer, out bool, least int) {
	for _, v := range a.Verdicts {
		for _, o := range v.Options {
			if slices.Contains(o.cells, s.Cell) && o.Out != "" {
				s.State, s.Why = Dropped, o.Out
				return
			}
		}
	}
	switch {
	case a.Next != nil && a.Next.Cell == s.Cell && s.Visits > 0:
		s.State, s.Why = Worth, a.Next.Why
	case s.Visits == 0:
		s.State, s.Why = Missing, "it was not measured yet"
	case out || a.Settled():
		s.State = Done
	case s.Visits < least:
		s.State, s.Why = Missing, fmt.Sprintf("%d of %d visits at the least", s.Visits, least)
	default:
		s.State, s.Why = Worth, "the answer is not as sure as was asked"
	}
}
