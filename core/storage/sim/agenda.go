package sim

import (
	"time"

	"opengauge/core/storage/target"
)

// agenda is the operations whose latency is under way, soonest first: a binary
// heap whose ties fall in the order in which they were entered, so that runs
// repeat exactly.
type agenda struct {
	entries []entry
	serial  uint64
}

// entry is the slot of an operation and the time of its next event.
type entry struct {
	at     time.Duration
	serial uint64
	slot   int
}

// request holds the facts about an operation that a simulated part needs: it has no data.
type request struct {
	offset    int64
	submitted time.Duration
	length    int
	action    target.Action
}

func (e *entry) before(other *entry) bool {
	return e.at < other.at || e.at == other.at && e.serial < other.serial
}

func (a *agenda) push(e entry) {
	a.serial++
	e.serial = a.serial
	a.entries = append(a.entries, e)
	at := len(a.entries) - 1
	for at > 0 {
		parent := (at - 1) / 2
		if !e.before(&a.entries[parent]) {
			break
		}
		a.entries[at] = a.entries[parent]
		at = parent
	}
	a.entries[at] = e
}

func (a *agenda) pop() entry {
	first := a.entries[0]
	last := len(a.entries) - 1
	moved := a.entries[last]
	a.entries = a.entries[:last]
	if last == 0 {
		return first
	}
	at := 0
	for {
		child := 2*at + 1
		if child >= last {
			break
		}
		if child+1 < last && a.entries[child+1].before(&a.entries[child]) {
			child++
		}
		if !a.entries[child].before(&moved) {
			break
		}
		a.entries[at] = a.entries[child]
		at = child
	}
	a.entries[at] = moved
	return first
}

// line is operations in the order in which they leave.
type line struct {
	entries []entry
	first   int
}

func (l *line) empty() bool { return l.first == len(l.entries) }

func (l *line) push(e entry) {
	if l.first > 0 && l.first == len(l.entries) {
		l.entries = l.entries[:0]
		l.first = 0
	}
	if l.first > 1024 && l.first > len(l.entries)/2 {
		l.entries = l.entries[:copy(l.entries, l.entries[l.first:])]
		l.first = 0
	}
	l.entries = append(l.entries, e)
}

func (l *line) head() *entry { return &l.entries[l.first] }

func (l *line) pop() entry {
	l.first++
	return l.entries[l.first-1]
}
