package figure

import (
	"slices"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/value"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Form is a kind of figure, with how it is found in what a report is about.
type Form struct {
	// Name is what --figure takes, Section the id of its section in a page, and
	// Title what stands over that.
	Name, Section, Title string
	// Fold is what its table is folded behind.
	Fold string
	// Missing says why there is none.
	Missing string
	// Question is what a section of such figures answers; without one its title is Title.
	Question string
	// Within kinds stand in a section with other things.
	Within bool
	// Few says that few sessions have one, so that they stand in the open beside others.
	Few bool
	// Together kinds show all sessions in one figure.
	Together bool
	// OverTime kinds show how a pass went, and take much room.
	OverTime bool
	// Of are the figures of the kind.
	Of func(Subject) []Figure
}

// Subject is what a report is about.
type Subject struct {
	Sessions []*session.Session
	// Findings of each session, by its id.
	Findings map[string][]session.Finding
	// Comparison and Value are nil where there is nothing to compare, or no price.
	Comparison *compare.Comparison
	Value      *value.Value
	Notation   unit.Notation
	// Brief subjects have little room, as in a terminal: passes of a few seconds are
	// then not drawn over time.
	Brief bool
}

// Forms are all forms of figures, in the order of a report. A new form is a file of
// its own and a line here.
var Forms = []Form{
	chainStripForm,
	comparisonForm,
	overTimeForm,
	movesForm,
	sweepsForm,
	crowdForm,
	copyMatrixForm,
	depthMapForm,
	heatTraceForm,
	coolDownForm,
	rivalsForm,
	fillLadderForm,
	moneyForm,
}

// Names are those of all forms.
func Names() []string {
	names := make([]string, len(Forms))
	for i, form := range Forms {
		names[i] = form.Name
	}
	return names
}

// FormOf gives the form of a name.
func FormOf(name string) (Form, bool) {
	i := slices.IndexFunc(Forms, func(f Form) bool { return f.Name == name })
	if i < 0 {
		return Form{}, false
	}
	return Forms[i], true
}

// each gives the figures of all sessions of a subject, one session after the other.
func each(of func(s *session.Session, subject Subject) []Figure) func(Subject) []Figure {
	return func(subject Subject) []Figure {
		var all []Figure
		for _, s := range subject.Sessions {
			all = append(all, of(s, subject)...)
		}
		return all
	}
}

// asFigures gives figures of one type as figures.
func asFigures[F Figure](figures []F) []Figure {
	all := make([]Figure, len(figures))
	for i, f := range figures {
		all[i] = f
	}
	return all
}

// one gives a figure that may not be there.
func one[F Figure](f F, ok bool) []Figure {
	if !ok {
		return nil
	}
	return []Figure{f}
}
