package sim

import (
	"time"

	"opengauge/core/target"
	"opengauge/core/unit"
)

// queue serves operations in three stages: a unit of the flash takes its
// latency, then, in the order in which they are ready, the flash as a whole
// moves the data at its rate and the enclosure's bridge carries it at its own.
// A stage is a time at which it is free again.
type queue struct {
	part   *Part
	units  []time.Duration // when each unit of the flash is free
	flash  time.Duration   // when the flash has moved what it was given
	bridge time.Duration
	agenda agenda
}

func newQueue(part *Part) *queue {
	return &queue{part: part, units: make([]time.Duration, part.drive.Parallelism)}
}

func (q *queue) Buffer(int) []byte { return nil }

func (q *queue) Name() string { return "simulated" }

func (q *queue) Close() error { return nil }

func (q *queue) Submit(operations []target.Operation) error {
	now := q.part.now
	for _, operation := range operations {
		e := entry{submitted: now, operation: operation}
		if operation.Action == target.Flush {
			e.at = max(now, q.flash) + q.jittered(q.part.drive.FlushLatency) + q.part.enclosure.Latency
		} else {
			e.at, e.fetched = q.fetch(operation.Action), true
		}
		q.agenda.push(e)
	}
	return nil
}

func (q *queue) Wait(done []target.Completion, until time.Duration) (int, error) {
	filled := 0
	for {
		at, any := q.agenda.next()
		if filled > 0 && (!any || at > q.part.now || filled == len(done)) {
			return filled, nil
		}
		if !any || at > until {
			q.advance(until)
			return 0, nil
		}
		q.advance(at)
		e := q.agenda.pop()
		if e.fetched {
			e.at, e.fetched = q.move(e.operation), false
			q.agenda.push(e)
			continue
		}
		done[filled] = target.Completion{Slot: e.operation.Slot, Submitted: e.submitted, Completed: e.at}
		filled++
	}
}

func (q *queue) advance(now time.Duration) {
	if now > q.part.now {
		q.part.now = now
	}
	q.part.heat.advance(q.part.now)
}

// fetch gives an operation that is submitted now to the unit of the flash that
// is free first, and says when its latency will be over.
func (q *queue) fetch(action target.Action) time.Duration {
	latency := q.part.drive.ReadLatency
	if action == target.Write {
		latency = q.part.drive.WriteLatency
	}
	unitAt := q.soonest()
	q.units[unitAt] = max(q.part.now, q.units[unitAt]) + q.jittered(latency)
	return q.units[unitAt]
}

// move moves the data of an operation whose latency is over now, behind that of
// those that were ready before, and says when it will be complete.
func (q *queue) move(operation target.Operation) time.Duration {
	drive, now := &q.part.drive, q.part.now
	rate, joules := drive.ReadRate, drive.ReadJoules
	if operation.Action == target.Write {
		rate, joules = drive.WriteRate, drive.WriteJoules
	}
	if q.part.heat.throttled {
		rate = min(rate, drive.ThrottledRate)
	}
	q.part.heat.spend(joules * float64(operation.Length))
	q.flash = max(now, q.flash) + moving(operation.Length, rate)
	q.bridge = max(now, q.bridge) + max(moving(operation.Length, q.part.enclosure.Carries), q.part.enclosure.PerOperation)
	return max(q.flash, q.bridge) + q.part.enclosure.Latency
}

// soonest is the unit of the flash that is free first.
func (q *queue) soonest() int {
	best := 0
	for at, free := range q.units {
		if free < q.units[best] {
			best = at
		}
	}
	return best
}

// jittered spreads a latency evenly about its mean.
func (q *queue) jittered(latency time.Duration) time.Duration {
	spread := float64(q.part.chance.Uint64()>>11)/(1<<52) - 1 // from -1 to 1
	return latency + time.Duration(float64(latency)*q.part.drive.Jitter*spread)
}

// moving is the time that data takes at a rate.
func moving(length int, rate unit.BytesPerSecond) time.Duration {
	return time.Duration(float64(length) / float64(rate) * 1e9)
}
