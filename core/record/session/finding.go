package session

import (
	"fmt"
)

// Severity says how much a finding matters.
type Severity string

// The severities, from least to most.
const (
	Note    Severity = "note"
	Caution Severity = "caution"
	Fault   Severity = "fault"
)

// Severities lists the severities from least to most.
var Severities = []Severity{Note, Caution, Fault}

// ParseSeverity reads "note", "caution" or "fault".
func ParseSeverity(name string) (Severity, error) {
	for _, known := range Severities {
		if Severity(name) == known {
			return known, nil
		}
	}
	return "", fmt.Errorf("unknown severity %q; use note, caution or fault", name)
}

// Reaches reports whether s is at least as severe as other.
func (s Severity) Reaches(other Severity) bool { return s.rank() >= other.rank() }

func (s Severity) rank() int {
	for i, known := range Severities {
		if s == known {
			return i
		}
	}
	return -1
}

// Finding is a flagged fact about a session.
type Finding struct {
	Kind     string   `json:"kind"`
	Severity Severity `json:"severity"`
	// Confidence is the probability, from 0 to 1, that it is so: of a hundred findings
	// at 0.9, about ninety are right.
	Confidence float64 `json:"confidence"`
	Summary    string  `json:"summary"`
	// Passes are the indexes of the passes that show it.
	Passes []int `json:"passes"`
	// Copies are the indexes of the copies that show it, where it is about their recording.
	Copies []int `json:"copies,omitempty"`
	// FromSeconds and ToSeconds bound it within the first of those passes,
	// since that pass began to count.
	FromSeconds float64 `json:"from_seconds"`
	ToSeconds   float64 `json:"to_seconds"`
	// Spans are the stretches that show it, where there are several between
	// FromSeconds and ToSeconds.
	Spans []Span `json:"spans,omitempty"`
	// Evidence is figures by name, each name ending in its unit.
	Evidence Evidence `json:"evidence"`
	// Rejected are causes that would look alike, and why they are not it.
	Rejected []Rejection `json:"rejected,omitempty"`
	// Shares are how likely each explanation of the pass is, the likeliest first, where
	// explanations competed. With the least likely, which are left out, they add up to 1.
	Shares []Share `json:"shares,omitempty"`
	// Reasons are the facts that moved the odds of the finding's explanation.
	Reasons []Reason `json:"reasons,omitempty"`
	Advice  string   `json:"advice"`
}

// Rejection is a cause that was looked at and is not it.
type Rejection struct {
	Kind string `json:"kind"`
	Why  string `json:"why"`
	// LogOdds is by how much the odds of the fact are above the cause's, as a natural logarithm; 0 where they
	// did not compete.
	LogOdds float64 `json:"log_odds,omitempty"`
}

// Share is how likely an explanation is beside all others.
type Share struct {
	Explanation string  `json:"explanation"`
	Share       float64 `json:"share"`
}

// Reason is a fact that a recording shows, and by how much it moved the odds of an
// explanation, as a natural logarithm, against a recording without any order.
type Reason struct {
	Says    string  `json:"says"`
	LogOdds float64 `json:"log_odds"`
}

// Span is a stretch of a pass, in seconds since it began to count.
type Span struct {
	FromSeconds float64 `json:"from_seconds"`
	ToSeconds   float64 `json:"to_seconds"`
}

// Stretches are where the finding is seen in the first of its passes: its spans, or
// the one from its start to its end.
func (f *Finding) Stretches() []Span {
	if len(f.Spans) > 0 {
		return f.Spans
	}
	return []Span{{f.FromSeconds, f.ToSeconds}}
}
