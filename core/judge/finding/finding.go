// Package finding reads sessions and flags facts about them. A finding names a
// cause only when the evidence separates it from the other causes that would
// look alike; else it says what would separate them. Each detector is in a file
// of its own and is described in docs/findings.md.
package finding

import (
	"sort"
	"strconv"
	"strings"

	"opengauge/core/record/session"
)

// detector looks at a session and gives what it finds.
type detector func(s *session.Session) []session.Finding

// detectors in the order in which findings are listed within a severity.
var detectors = []detector{
	corruptData, cachedResult, linkErrors, linkDegraded, slowdowns, fillSlowdown, runFade, dataSensitive, capBound, imprecise, hostBound, backgroundLoad,
	linkBound, latencyBound, againstRating, shortRun, dropout, silences, endpointBound, copiesThatDiffer, sharedHop,
}

// Detect gives the findings of a session, the most severe first.
func Detect(s *session.Session) []session.Finding {
	findings := []session.Finding{}
	for _, detect := range detectors {
		findings = append(findings, detect(s)...)
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

// passesWhere gives the passes of a session for which a condition holds, and
// their indexes.
func passesWhere(s *session.Session, holds func(*session.Pass) bool) (passes []*session.Pass, indexes []int) {
	for at := range s.Passes {
		if pass := &s.Passes[at]; holds(pass) {
			passes = append(passes, pass)
		}
	}
	return passes, indexesOf(passes)
}

// greatest gives the pass for which a figure is greatest.
func greatest(passes []*session.Pass, figure func(*session.Pass) float64) *session.Pass {
	best := passes[0]
	for _, pass := range passes {
		if figure(pass) > figure(best) {
			best = pass
		}
	}
	return best
}

// numbered writes "1 pass" or "3 passes".
func numbered(passes []*session.Pass) string {
	if len(passes) == 1 {
		return "1 pass"
	}
	return strconv.Itoa(len(passes)) + " passes"
}

// plural writes "1 kind" or "3 kinds".
func plural(count int, what string) string {
	if count == 1 {
		return "1 " + what
	}
	return strconv.Itoa(count) + " " + what + "s"
}

// firstWord is what a counter counts, without of what device.
func firstWord(name string) string {
	word, _, _ := strings.Cut(name, " ")
	return word
}
