package sim

import "opengauge/core/target"

// agenda is the operations under way, soonest completion first: a binary heap
// whose ties fall in the order of submission, so that runs repeat exactly.
type agenda struct {
	entries []entry
	serial  uint64
}

type entry struct {
	completion target.Completion
	serial     uint64
}

func (a *agenda) before(i, j int) bool {
	if a.entries[i].completion.Completed != a.entries[j].completion.Completed {
		return a.entries[i].completion.Completed < a.entries[j].completion.Completed
	}
	return a.entries[i].serial < a.entries[j].serial
}

func (a *agenda) push(completion target.Completion) {
	a.serial++
	a.entries = append(a.entries, entry{completion: completion, serial: a.serial})
	for at := len(a.entries) - 1; at > 0; {
		parent := (at - 1) / 2
		if !a.before(at, parent) {
			return
		}
		a.entries[at], a.entries[parent] = a.entries[parent], a.entries[at]
		at = parent
	}
}

func (a *agenda) pop() target.Completion {
	first := a.entries[0].completion
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
