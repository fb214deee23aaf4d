package finding

import (
	"cmp"
	"fmt"
	"slices"

	"opengauge/core/bench/event"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var ioErrors = Kind{
	Name:       "io-errors",
	Says:       "operations failed while the device was there; says which, where, and with what error",
	Severity:   session.Fault,
	EndsStream: true,
	Marks:      HeatTrace,
	Settles:    "read the same offsets again on another port and cable",
	Evidence:   IOErrorsEvidence{},
}

// IOErrorsEvidence is one way in which operations failed, over all passes.
type IOErrorsEvidence struct {
	Action     string `json:"action"`
	Error      string `json:"error"`
	Count      int64  `json:"count"`
	Operations int64  `json:"operations"`
	// Offsets are missing in records of older programs.
	FirstOffset *int64 `json:"first_offset_bytes,omitempty"`
	FromOffset  *int64 `json:"from_offset_bytes,omitempty"`
	ToOffset    *int64 `json:"to_offset_bytes,omitempty"`
}

// findIOErrors reports operations that failed, except on a device that was gone.
func findIOErrors(s *session.Session, _ unit.Notation) []session.Finding {
	type way struct{ action, text string }
	sums := map[way]*IOErrorsEvidence{}
	passes := map[way][]int{}
	for i := range s.Passes {
		pass := &s.Passes[i]
		if wentAway(s, pass) {
			continue
		}
		for _, failure := range failuresOf(pass) {
			key := way{failure.Action, failure.Error}
			sum := sums[key]
			if sum == nil {
				sum = &IOErrorsEvidence{Action: failure.Action, Error: failure.Error}
				sums[key] = sum
			}
			sum.Count += failure.Count
			sum.Operations += max(pass.Attempts, pass.Operations+pass.Errors)
			if len(pass.Failures) > 0 {
				sum.reach(failure)
			}
			passes[key] = append(passes[key], pass.Index)
		}
	}
	var found []session.Finding
	for key, sum := range sums {
		f := ioErrors.new(1, passes[key], *sum)
		f.Summary, f.Advice = sum.says(), "These operations are in no figure. Note the offsets and read them again on "+
			"another port and cable: errors that stay at their offsets are the device's, others are of what is between."
		found = append(found, f)
	}
	slices.SortFunc(found, func(a, b session.Finding) int { return cmp.Compare(a.Summary, b.Summary) })
	return found
}

// reach widens where operations failed.
func (e *IOErrorsEvidence) reach(f session.Failure) {
	if e.FirstOffset == nil {
		e.FirstOffset = &f.FirstOffset
		e.FromOffset = &f.FromOffset
		e.ToOffset = &f.ToOffset
		return
	}
	from := min(*e.FromOffset, f.FromOffset)
	to := max(*e.ToOffset, f.ToOffset)
	e.FromOffset = &from
	e.ToOffset = &to
}

func (e *IOErrorsEvidence) says() string {
	text := fmt.Sprintf("%s of %s %ss failed: %s", unit.Grouped(e.Count), unit.Grouped(e.Operations), e.Action, e.Error)
	switch {
	case e.FirstOffset == nil:
		return text + "."
	case e.Count == 1:
		return fmt.Sprintf("%s, at byte %d.", text, *e.FirstOffset)
	}
	return fmt.Sprintf("%s, the first at byte %d, all between byte %d and %d.", text, *e.FirstOffset, *e.FromOffset,
		*e.ToOffset)
}

// failuresOf are the ways in which a pass's operations failed. Of a record of an older
// program only the number and the first error are known. A recording made elsewhere
// has no error's text: there, errors belong to the outage that they are in.
func failuresOf(pass *session.Pass) []session.Failure {
	if len(pass.Failures) > 0 || pass.Errors == 0 || pass.FirstError == "" {
		return pass.Failures
	}
	action := "operation"
	switch pass.WriteShare {
	case 0:
		action = "read"
	case 1:
		action = "write"
	}
	return []session.Failure{{Action: action, Error: pass.FirstError, Count: pass.Errors}}
}

// wentAway reports whether the device vanished in a pass, or right behind it: then its errors say no more
// than that.
func wentAway(s *session.Session, pass *session.Pass) bool {
	const behind = 2
	return slices.ContainsFunc(s.Events, func(e session.Event) bool {
		return e.Kind == event.Dropout && e.TSeconds >= pass.StartedSeconds &&
			e.TSeconds <= pass.StartedSeconds+pass.ElapsedSeconds+behind
	})
}
