package sim

import (
	"time"

	"opengauge/core/target"
)

// agenda is the operations under way, by the time of what happens next to each,
// soonest first: a binary heap whose ties fall in the order in which they were
// entered, so that runs repeat exactly.
type agenda struct {
	entries []entry
	serial  uint64
}

// entry is an operation and what happens to it next.
type entry struct {
	at     time.Duration
	serial uint64
	// fetched says that what happens next is the end of its latency: its data
	// still has to move. Otherwise it is complete then.
	fetched   bool
	submitted time.Duration
	operation target.Operation
}

func (a *agenda) before(i, j int) bool {
	if a.entries[i].at != a.entries[j].at {
		return a.entries[i].at < a.entries[j].at
	}
	return a.entries[i].serial < a.entries[j].serial
}

// next is when the next thing happens, and whether there is one.
func (a *agenda) next() (time.Duration, bool) {
	if len(a.entries) == 0 {
		return 0, false
	}
	return a.entries[0].at, true
}

func (a *agenda) push(e entry) {
	a.serial++
	e.serial = a.serial
	a.entries = append(a.entries, e)
	for at := len(a.entries) - 1; at > 0; {
		parent := (at - 1) / 2
		if !a.before(at, parent) {
			return
		}
		a.entries[at], a.entries[parent] = a.entries[parent], a.entries[at]
		at = parent
	}
}

func (a *agenda) pop() entry {
	first := a.entries[0]
	last := len(a.entries) - 1
	a.entries[0] = a.entries[last]
	a.entries = a.entries[:last]
	for at := 0; ; {
		least := at
		for child := 2*at + 1; child <= 2*at+2 && child < last; child++ {
			if a.before(child, least) {
				least = child
			}
		}
		if least == at {
			return first
		}
		a.entries[at], a.entries[least] = a.entries[least], a.entries[at]
		at = least
	}
}
