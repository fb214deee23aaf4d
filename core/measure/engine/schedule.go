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
	first float64 // where among the arrivals this worker's first is
	count float64
}

// nearArrival is how long before an arrival a worker stops sleeping.
const nearArrival = 100 * time.Microsecond

// newSchedule returns one worker's share of the arrivals, in step with its fellows.
func newSchedule(l load.Load, worker int) schedule {
	if l.Rate == 0 {
		return schedule{}
	}
	workers := float64(max(l.Workers, 1))
	return schedule{every: 1e9 * workers / l.Rate, first: float64(worker) / workers}
}

// rated says whether there is a schedule at all.
func (s *schedule) rated() bool { return s.every > 0 }

// start lets the arrivals begin.
func (s *schedule) start(now time.Duration) { s.began, s.count = now, s.first }

// next is when the next operation is due.
func (s *schedule) next() time.Duration {
	return s.began + time.Duration(s.count*s.every)
}

// take takes the next arrival, if it is due, and gives when that was: its latency
// counts from then. How much later than the arrival, and than there was a free slot
// for it, the program begins with it is entered as its own lateness.
func (s *schedule) take(now, freed time.Duration, m *meter) (due time.Duration, ready bool) {
	if due = s.next(); due > now {
		return 0, false
	}
	s.count++
	if m.counting {
		m.lateness.record(now - max(due, freed))
	}
	return due, true
}

// abandon enters operations that were due by the end and never began, as cut off at their age.
func (s *schedule) abandon(end time.Duration, m *meter) {
	for ; s.rated() && s.next() < end; s.count++ {
		m.noteCutOff(s.next(), end, end)
	}
}
