package engine

import (
	"errors"
	"slices"
	"time"
)

// ErrStuck says that a pass left operations behind that the storage did not answer in
// time.
var ErrStuck = errors.New("the storage does not answer")

const (
	// patience is how long a stopped pass waits for operations under way: whoever stopped it waits too.
	patience = time.Second
	// flushPatience is how many times as long as for an operation is waited for a flush,
	// which may have to empty a large cache.
	flushPatience = 4
	// ofFlush is the offset of a flush, which has none.
	ofFlush = -1
)

// stallWatch notices operations that are under way for too long.
type stallWatch struct {
	after   time.Duration
	tell    func(Stall)
	began   []time.Duration // of the operation in each slot
	offsets []int64
	busy    []bool
	stalled bool
	stuckAt int64 // the offset that was told of
	lookAt  time.Duration
}

func newStallWatch(depth int, after time.Duration, tell func(Stall)) stallWatch {
	if after == 0 || tell == nil {
		return stallWatch{}
	}
	return stallWatch{
		after: after, tell: tell,
		began: make([]time.Duration, depth), offsets: make([]int64, depth), busy: make([]bool, depth),
	}
}

func (s *stallWatch) noteSubmission(slot int, offset int64, now time.Duration) {
	if s.tell != nil {
		s.began[slot] = now
		s.offsets[slot] = offset
		s.busy[slot] = true
	}
}

// noteCompletion also catches a stall of a queue that waits inside of Submit, which
// shows only when it is over.
func (s *stallWatch) noteCompletion(slot int, now time.Duration) {
	if s.tell == nil {
		return
	}
	s.busy[slot] = false
	if !s.stalled && now-s.began[slot] > s.after {
		s.stalled = true
		s.stuckAt = s.offsets[slot]
		s.tell(Stall{At: s.began[slot], Offset: s.stuckAt})
	}
}

// look tells when the oldest operation is too old, and when that is over. It
// looks a few times within the stretch that it watches for.
func (s *stallWatch) look(now time.Duration) {
	if s.tell == nil || now < s.lookAt {
		return
	}
	s.lookAt = now + s.after/8
	oldest := -1
	for slot, busy := range s.busy {
		if busy && (oldest < 0 || s.began[slot] < s.began[oldest]) {
			oldest = slot
		}
	}
	late := oldest >= 0 && now-s.began[oldest] > s.after
	switch {
	case late && !s.stalled:
		s.stuckAt = s.offsets[oldest]
		s.tell(Stall{At: s.began[oldest], Offset: s.stuckAt})
	case !late && s.stalled:
		s.tell(Stall{At: now, Offset: s.stuckAt, Over: true})
	}
	s.stalled = late
}

// over tells, once nothing is under way any more, that a stall has ended.
func (s *stallWatch) over(now time.Duration) {
	if s.tell == nil || !s.stalled || slices.Contains(s.busy, true) {
		return
	}
	s.stalled = false
	s.tell(Stall{At: now, Offset: s.stuckAt, Over: true})
}
