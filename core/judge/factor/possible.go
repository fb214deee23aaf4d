package factor

import (
	"maps"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
)

// Fan is the condition by which sessions say how an enclosure's fan runs, and what it may
// be of one without, and of one whose fan stands.
const (
	Fan     = "fan"
	passive = "passive"
	off     = "off"
)

// Bench is what is known of the parts of some sessions: which combinations can be.
type Bench struct{ cooling map[string]string }

// BenchOf reads what the bench book said of the parts of sessions.
func BenchOf(sessions []*session.Session) Bench {
	var parts []book.Part
	for _, s := range sessions {
		parts = append(parts, s.Parts...)
	}
	return BenchOfParts(parts)
}

// BenchOfParts reads what the bench book says of parts.
func BenchOfParts(parts []book.Part) Bench {
	b := Bench{cooling: map[string]string{}}
	for _, part := range parts {
		if part.Kind == book.Enclosure && part.Cooling != "" {
			b.cooling[part.Name] = part.Cooling
		}
	}
	return b
}

// Possible gives the circumstances as they can be put together, and whether they can. A
// case without a fan has none to set; one with a fan is never without, and stands still
// instead.
func (b Bench) Possible(f Set) (Set, bool) {
	cooling, known := b.cooling[f[Enclosure]]
	fan := f[Fan]
	switch {
	case !known || fan == "":
		return f, true
	case cooling == passive:
		return f, fan == passive
	case fan != passive:
		return f, true
	}
	still := maps.Clone(f)
	still[Fan] = off
	return still, true
}
