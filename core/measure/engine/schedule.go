package engine

import (
	"time"

	"opengauge/core/load"
)

// schedule is when operations arrive, for a load with a fixed rate. Without a
// rate every operation is due at once.
type schedule struct {
	every float64 // nanoseconds between arrivals, or 0
	began time.Duration
	count float64
	due   []time.Duration // of the operation in each slot
}

// newSchedule gives one worker's share of the arrivals, in step with those of
// the others.
func newSchedule(l load.Load, worker int) schedule {
	if l.Rate == 0 {
		return schedule{}
	}
	workers := float64(max(l.Workers, 1))
	return schedule{every: 1e9 * workers / l.Rate, count: float64(worker) / workers,
		due: make([]time.Duration, l.Depth)}
}

func (s *schedule) start(now time.Duration) { s.began = now }

// next is when the next operation is due.
func (s *schedule) next() time.Duration {
	return s.began + time.Duration(s.count*s.every)
}

// take gives the next arrival to a slot, if it is due.
func (s *schedule) take(slot int, now time.Duration) bool {
	if s.every == 0 {
		return true
	}
	due := s.next()
	if due > now {
		return false
	}
	s.due[slot] = due
	s.count++
	return true
}

// wake is the earlier of until and the next arrival, where a slot is free for
// it.
func (s *schedule) wake(until time.Duration, free int) time.Duration {
	if s.every == 0 || free == 0 {
		return until
	}
	return min(until, s.next())
}

// since is when an operation's latency began: when it was due, or else when it
// was submitted.
func (s *schedule) since(slot int, submitted time.Duration) time.Duration {
	if s.every == 0 {
		return submitted
	}
	return s.due[slot]
}
