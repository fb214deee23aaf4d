package term

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"opengauge/core/judge/finding"
	"opengauge/core/measure/transfer"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// Copies tells how far copies are.
type Copies struct {
	screen *Screen
	told   time.Time
	label  string
	shown  bool
}

// NewCopies tells on a screen.
func NewCopies(screen *Screen) *Copies { return &Copies{screen: screen} }

// Tell says how far the copies are.
func (t *Copies) Tell(s transfer.Step) {
	if !t.screen.Interactive {
		if s.Label != t.label {
			t.label = s.Label
			t.screen.Println(t.text(s))
		}
		return
	}
	if time.Since(t.told) > 100*time.Millisecond || s.Label != t.label {
		t.told, t.label, t.shown = time.Now(), s.Label, true
		t.screen.Printf(clearLine+"%s %s of %s", t.text(s), s.Bytes.Decimal(), s.Total.Decimal())
	}
}

func (t *Copies) text(s transfer.Step) string {
	if s.Count == 0 {
		return Clean(s.Label)
	}
	return fmt.Sprintf("copy %d/%d: %s", s.Number, s.Count, Clean(s.Label))
}

// Done ends the line.
func (t *Copies) Done() {
	if t.shown {
		t.screen.Printf(clearLine)
	}
}

func (e *environment) showCopies(s *session.Session, notation unit.Notation) error {
	s.Findings = finding.Detect(s, notation)
	if e.json {
		return e.writeJSON(s)
	}
	screen := e.screen()
	var addresses []string
	for _, end := range s.Ends {
		addresses = append(addresses, end.Address)
	}
	screen.Heading(table.Marked("copies between "+strings.Join(addresses, " and "), s.Simulated) + " · session " +
		s.DisplayName())
	for _, note := range table.CopyNotes(s) {
		screen.Paragraph("● ", note)
	}
	showCopyFigures(screen, s, s.Findings, notation)
	screen.Println("")
	const many = 6
	if notes := len(s.Findings); notes > many &&
		!slices.ContainsFunc(s.Findings, func(f session.Finding) bool { return f.Severity != session.Note }) {
		screen.Paragraph("", fmt.Sprintf("%d findings say which end holds each copy: in a word in the matrix, and "+
			"with the arithmetic in opengauge explain %s.", notes, s.ID))
	} else {
		screen.Findings(s.Findings)
	}
	screen.Println("")
	screen.Printf("Kept as %s. Next: opengauge explain %s, or opengauge report %s --out report.html\n", s.ID, s.ID,
		s.ID)
	return nil
}

// showCopyFigures writes the copies of a session, and draws its matrices.
func showCopyFigures(screen *Screen, s *session.Session, findings []session.Finding, notation unit.Notation) {
	screen.Table(table.Copies(s, notation))
	if len(s.Ends) > 2 || slices.ContainsFunc(s.Copies, func(c session.Copy) bool { return c.From == 1 && c.To == 0 }) {
		for _, m := range figure.CopyMatrices(s, findings, notation) {
			screen.Println("")
			screen.CopyMatrix(m)
		}
	}
}
