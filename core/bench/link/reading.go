package link

import "strings"

// Record is the state of a chain's links before a pass and after it.
type Record struct {
	Before Reading `json:"before"`
	After  Reading `json:"after"`
}

// Reading is what the system says of a chain's links at one moment.
type Reading struct {
	// States are the standards that hops run at, by the hop's name.
	States map[string]string `json:"states"`
	// Counters only ever grow; their names say what of which device they count.
	Counters map[string]int64 `json:"counters"`
}

// Counted is what a counter counts, without of what device.
func Counted(name string) string {
	word, _, _ := strings.Cut(name, " ")
	return word
}

// Growth is how much each counter grew during the pass, of those that did.
func (l *Record) Growth() map[string]int64 {
	grown := map[string]int64{}
	if l == nil {
		return grown
	}
	for name, after := range l.After.Counters {
		if before, ok := l.Before.Counters[name]; ok && after > before {
			grown[name] = after - before
		}
	}
	return grown
}
