package review

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"strings"
)

// Definition returns digests of the comparison, the measurements and the decision, with hyphens between. A
// session remembers the definition of its review, so that a review that was changed half-way is noticed.
func (r *Review) Definition() string { return r.definition }

func (r *Review) define() string {
	cells := struct {
		Factors    []Factor
		Candidates []Candidate
		With       []Level
	}{r.Factors, r.Candidates, r.With}
	return strings.Join([]string{digest(cells), digest(r.Measure), digest(r.Decide)}, "-")
}

// digest is short: it tells changes apart, and keeps nobody from making two alike.
func digest(of any) string {
	text, err := json.Marshal(of)
	if err != nil { // none of what a review holds can fail to be written
		panic(err)
	}
	sum := sha256.Sum256(text)
	const bytes = 4
	return hex.EncodeToString(sum[:bytes])
}

// Changed lists the parts of a review that were changed since a session was measured for it: "cells",
// "measure", "decide".
func Changed(before, now string) []string {
	if before == "" || before == now {
		return nil
	}
	names := []string{"cells", "measure", "decide"}
	old, current := strings.Split(before, "-"), strings.Split(now, "-")
	if len(old) != len(names) || len(current) != len(names) {
		return names
	}
	var changed []string
	for i, name := range names {
		if old[i] != current[i] {
			changed = append(changed, name)
		}
	}
	return changed
}
