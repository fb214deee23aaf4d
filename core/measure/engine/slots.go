package engine

import "time"

// slots are those of a queue that have no operation, the one that has been free for
// longest first, so that it tells since when an operation could have begun.
type slots struct {
	ring     []int
	at, held int
	since    []time.Duration // when each became free
	free     []bool
}

// newSlots has all slots free.
func newSlots(depth int) *slots {
	s := &slots{ring: make([]int, depth), since: make([]time.Duration, depth), free: make([]bool, depth), held: depth}
	for slot := range s.ring {
		s.ring[slot], s.free[slot] = slot, true
	}
	return s
}

// any says whether a slot is free.
func (s *slots) any() bool { return s.held > 0 }

// has says whether that slot is free.
func (s *slots) has(slot int) bool { return s.free[slot] }

// first is the slot that has been free for longest; there has to be one.
func (s *slots) first() int { return s.ring[s.at] }

// freed is when a free slot became that.
func (s *slots) freed(slot int) time.Duration { return s.since[slot] }

// take gives the first slot out.
func (s *slots) take() int {
	slot := s.ring[s.at]
	if s.at++; s.at == len(s.ring) {
		s.at = 0
	}
	s.held--
	s.free[slot] = false
	return slot
}

// put takes a slot back at that time.
func (s *slots) put(slot int, now time.Duration) {
	at := s.at + s.held
	if at >= len(s.ring) {
		at -= len(s.ring)
	}
	s.ring[at], s.since[slot], s.free[slot] = slot, now, true
	s.held++
}
