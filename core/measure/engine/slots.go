package engine

import "time"

// slots are the slots of a queue without an operation, the one that has been free for longest first, so that
// it tells since when an operation could have begun.
type slots struct {
	ring     []int
	at, held int
	state    []slotState
}

type slotState struct {
	freed time.Duration // when it became free last
	free  bool
}

// newSlots has all slots free.
func newSlots(depth int) *slots {
	s := &slots{ring: make([]int, depth), state: make([]slotState, depth), held: depth}
	for slot := range s.ring {
		s.ring[slot] = slot
		s.state[slot].free = true
	}
	return s
}

// any says whether a slot is free.
func (s *slots) any() bool { return s.held > 0 }

// has says whether that slot is free.
func (s *slots) has(slot int) bool { return s.state[slot].free }

// freeSince is when the slot that has been free for longest became that; there has to be
// one.
func (s *slots) freeSince() time.Duration { return s.state[s.ring[s.at]].freed }

// take gives that slot out.
func (s *slots) take() int {
	slot := s.ring[s.at]
	if s.at++; s.at == len(s.ring) {
		s.at = 0
	}
	s.held--
	s.state[slot].free = false
	return slot
}

// put takes a slot back at that time.
func (s *slots) put(slot int, now time.Duration) {
	at := s.at + s.held
	if at >= len(s.ring) {
		at -= len(s.ring)
	}
	s.ring[at] = slot
	s.state[slot] = slotState{now, true}
	s.held++
}
