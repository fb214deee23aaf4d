package term

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"

	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
)

// Outcome writes the end of a session, in a line, and says so if nothing was found.
func (s *Screen) Outcome(became string, found int) {
	if found == 0 {
		s.Paragraph("", "Nothing here looks wrong or in need of a word: "+became+".")
		return
	}
	s.Paragraph("", strings.ToUpper(became[:1])+became[1:]+".")
	s.Println("")
}

// Findings writes the findings, each with its advice.
func (s *Screen) Findings(findings []session.Finding) {
	for i, finding := range findings {
		if i > 0 {
			s.Println("")
		}
		s.finding(finding)
	}
}

func (s *Screen) finding(finding session.Finding) {
	severity := string(finding.Severity)
	mark := severityStyle(severity).Render(figure.SeverityMark(severity) + " " + severity)
	s.Printf("%s  %s  %s\n", mark, bold.Render(finding.Kind),
		faint.Render(fmt.Sprintf("probability %.0f %%", finding.Confidence*100)))
	s.Paragraph("  ", finding.Summary)
	s.Paragraph("  → ", finding.Advice)
}

// Evidence writes the figures that a finding stands on.
func (s *Screen) Evidence(finding session.Finding, notation unit.Notation) {
	facts := finding.Evidence.Facts()
	width := 0
	for _, fact := range facts {
		label, _ := evidenceText(fact.Name, fact.Value, notation)
		width = max(width, len(label))
	}
	for _, share := range finding.Shares {
		width = max(width, len(share.Explanation))
	}
	for _, rejected := range finding.Rejected {
		width = max(width, len(rejected.Kind))
	}
	s.Println("  " + faint.Render("evidence"))
	for _, fact := range facts {
		label, value := evidenceText(fact.Name, fact.Value, notation)
		s.Paragraph(fmt.Sprintf("    %-*s  ", width, label), value)
	}
	if len(finding.Shares) > 0 {
		s.Println("  " + faint.Render("explanations"))
	}
	for _, share := range finding.Shares {
		const bar = 20
		s.Printf("    %-*s  %3.0f %%  %s\n", width, Clean(share.Explanation), share.Share*100,
			strings.Repeat("▪", int(math.Round(share.Share*bar))))
	}
	if len(finding.Reasons) > 0 {
		s.Println("  " + faint.Render("what moved the odds, as natural logarithms"))
	}
	for _, reason := range finding.Reasons {
		s.Paragraph(fmt.Sprintf("    %6s  ", figure.Signed(reason.LogOdds)), reason.Says)
	}
	if len(finding.Rejected) > 0 {
		s.Println("  " + faint.Render("not"))
	}
	for _, rejected := range finding.Rejected {
		why := rejected.Why
		if rejected.LogOdds > 0 {
			why += fmt.Sprintf(" (log-odds %s)", figure.Signed(-rejected.LogOdds))
		}
		s.Paragraph(fmt.Sprintf("    %-*s  ", width, rejected.Kind), why)
	}
}

// evidenceText turns "fast_bytes_per_second": 1.04e9 into "fast", "1 042 MB/s".
func evidenceText(key string, value any, notation unit.Notation) (label, text string) {
	number, isNumber := value.(float64)
	suffixes := []struct {
		suffix string
		write  func(float64) string
	}{
		{"_bytes_per_second", func(v float64) string { return notation.Rate(unit.BytesPerSecond(v)) }},
		{"_celsius", func(v float64) string { return unit.Celsius(v).String() }},
		{"_seconds", func(v float64) string { return unit.Digits(v, 4) + " s" }},
		{"_bytes", func(v float64) string { return unit.Bytes(v).Capacity() }},
		{"_share", func(v float64) string { return unit.Digits(v*100, 3) + " %" }},
	}
	for _, known := range suffixes {
		bare, found := strings.CutSuffix(key, known.suffix)
		if !found || !isNumber {
			continue
		}
		if known.suffix == "_share" {
			bare += ", share"
		}
		return words(bare), known.write(number)
	}
	if isNumber {
		return words(key), unit.Digits(number, 6)
	}
	if name, ok := value.(string); ok {
		return words(key), name
	}
	plain, err := json.Marshal(value)
	if err != nil {
		return words(key), fmt.Sprint(value)
	}
	return words(key), string(plain)
}

func words(key string) string { return strings.ReplaceAll(key, "_", " ") }
