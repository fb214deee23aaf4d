// Package finding reads sessions and flags facts about them. A finding names a
// cause only when the evidence separates it from the other causes that would
// look alike; else it says what would separate them. Each detector is in a file
// of its own and is described in docs/findings.md.
package finding

import (
	"sort"

	"opengauge/core/session"
)

// detector looks at one pass and gives what it finds.
type detector func(pass *session.Pass) []session.Finding

// detectors in the order in which findings are listed within a severity.
var detectors = []detector{heatThrottle, unsteady}

// Detect gives the findings of a session, the most severe first.
func Detect(s *session.Session) []session.Finding {
	findings := []session.Finding{}
	for at := range s.Passes {
		for _, detect := range detectors {
			findings = append(findings, detect(&s.Passes[at])...)
		}
	}
	sort.SliceStable(findings, func(i, j int) bool {
		return findings[j].Severity != findings[i].Severity && findings[i].Severity.Reaches(findings[j].Severity)
	})
	return findings
}

// Worst is the greatest severity among findings, and whether there are any.
func Worst(findings []session.Finding) (session.Severity, bool) {
	worst := session.Note
	for _, finding := range findings {
		if finding.Severity.Reaches(worst) {
			worst = finding.Severity
		}
	}
	return worst, len(findings) > 0
}
