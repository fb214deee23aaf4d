// Package finding reads sessions and flags facts about them. A finding names a
// cause only when the evidence separates it from the other causes that would
// look alike; else it says what would separate them. Each kind is a value in a
// file of its own, listed in registry.go and described in docs/findings.md.
//
// Its functions only read the session, and may be called at once.
package finding

import (
	"sort"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Kind is a kind of finding, with all that the rest of the program needs to know of
// it.
type Kind struct {
	Name string
	// Says describes a finding of the kind, as docs have it.
	Says string
	// Severity is the usual one.
	Severity session.Severity
	// Weighty kinds belong in a verdict though they are only notes.
	Weighty bool
	// EndsStream says that it explains why a stream that ran well broke off.
	EndsStream bool
	// Marks is the figure that shows it.
	Marks Mark
	// Settles is the one test that would tell it from look-alikes.
	Settles string
	// Evidence is the type of its evidence, as a zero value.
	Evidence any
	// detect look at a session; none where another kind's look for both.
	detect []detector
}

// Mark names a figure on which findings of a kind are seen.
type Mark string

// The figures that findings are seen on.
const (
	NoFigure   Mark = ""
	ChainStrip Mark = "chain strip"
	HeatTrace  Mark = "heat trace"
	FillLadder Mark = "fill ladder"
	DepthMap   Mark = "depth map"
	CopyMatrix Mark = "copy matrix"
)

// detector looks at a session and returns findings, in sentences with the notation.
type detector func(s *session.Session, n unit.Notation) []session.Finding

// by returns the kind with its detectors.
func (k Kind) by(detectors ...detector) Kind {
	k.detect = detectors
	return k
}

// Detect gives the findings of a session, the most severe first, in sentences with
// the notation.
func Detect(s *session.Session, n unit.Notation) []session.Finding {
	findings := []session.Finding{}
	for _, kind := range Kinds {
		for _, detect := range kind.detect {
			findings = append(findings, detect(s, n)...)
		}
	}
	sort.SliceStable(findings, func(i, j int) bool {
		return findings[j].Severity != findings[i].Severity && findings[i].Severity.Reaches(findings[j].Severity)
	})
	return findings
}

// Of gives the kind of a finding. Of one that this program does not know, from a
// newer one, only the name is there.
func Of(f session.Finding) Kind {
	for _, kind := range Kinds {
		if kind.Name == f.Kind {
			return kind
		}
	}
	return Kind{Name: f.Kind, Severity: f.Severity}
}

// EvidenceOf reads the evidence of a finding as a type of this package.
func EvidenceOf[T any](f session.Finding) (T, bool) {
	var typed T
	return typed, f.Evidence.Into(&typed) == nil
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

// new is a finding of the kind about passes.
func (k Kind) new(confidence float64, passes []int, evidence any) session.Finding {
	return session.Finding{
		Kind: k.Name, Severity: k.Severity, Confidence: confidence, Passes: passes,
		Evidence: session.NewEvidence(evidence),
	}
}

// passesWhere gives the passes of a session for which a condition holds, and
// their indexes.
func passesWhere(s *session.Session, holds func(*session.Pass) bool) (passes []*session.Pass, indexes []int) {
	for i := range s.Passes {
		if pass := &s.Passes[i]; holds(pass) {
			passes = append(passes, pass)
		}
	}
	return passes, indexesOf(passes)
}

func indexesOf(passes []*session.Pass) []int {
	indexes := make([]int, len(passes))
	for i, pass := range passes {
		indexes[i] = pass.Index
	}
	return indexes
}

// groupsWithoutRate gives the groups of alike passes whose operations were not held to a
// schedule.
func groupsWithoutRate(s *session.Session, apart func(*session.Key)) [][]*session.Pass {
	var groups [][]*session.Pass
	for _, group := range s.Alike(apart) {
		if !group.Key.Load.Scheduled() {
			groups = append(groups, group.Passes)
		}
	}
	return groups
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

func throughputOf(p *session.Pass) float64 { return float64(p.BytesPerSecond) }

// rate is a figure as throughput.
func rate(value float64) unit.BytesPerSecond { return unit.BytesPerSecond(value) }

// numberSeveral writes "1 pass" or "3 passes".
func numberSeveral(passes []*session.Pass) string {
	return unit.Count(len(passes), "pass", "passes")
}
