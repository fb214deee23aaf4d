package sim

import (
	"time"

	"opengauge/core/target"
	"opengauge/core/unit"
)

// queue serves operations in three stages: a unit of the flash takes its
// latency, the flash as a whole moves the data at its rate, and the enclosure's
// bridge carries it at its own. A stage is a time at which it is free again.
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
	for _, operation := range operations {
		q.agenda.push(target.Completion{
			Slot: operation.Slot, Submitted: q.part.now, Completed: q.serve(operation),
		})
	}
	return nil
}

func (q *queue) Wait(done []target.Completion, until time.Duration) (int, error) {
	p := q.part
	if len(q.agenda.entries) == 0 || q.agenda.entries[0].completion.Completed > until {
		q.advance(until)
		return 0, nil
	}
	q.advance(q.agenda.entries[0].completion.Completed)
	filled := 0
	for filled < len(done) && len(q.agenda.entries) > 0 && q.agenda.entries[0].completion.Completed <= p.now {
		done[filled] = q.agenda.pop()
		filled++
	}
	return filled, nil
}

func (q *queue) advance(now time.Duration) {
	if now > q.part.now {
		q.part.now = now
	}
	q.part.heat.advance(q.part.now)
}

// serve says when an operation that is submitted now will be complete.
func (q *queue) serve(operation target.Operation) time.Duration {
	drive, now := &q.part.drive, q.part.now
	if operation.Action == target.Flush {
		return max(now, q.flash) + q.jittered(drive.FlushLatency) + q.part.enclosure.Latency
	}
	latency, rate, joules := drive.ReadLatency, drive.ReadRate, drive.ReadJoules
	if operation.Action == target.Write {
		latency, rate, joules = drive.WriteLatency, drive.WriteRate, drive.WriteJoules
	}
	if q.part.heat.throttled {
		rate = min(rate, drive.ThrottledRate)
	}
	q.part.heat.spend(joules * float64(operation.Length))

	unitAt := q.soonest()
	ready := max(now, q.units[unitAt]) + q.jittered(latency)
	q.units[unitAt] = ready
	q.flash = max(ready, q.flash) + moving(operation.Length, rate)
	q.bridge = max(ready, q.bridge) + max(moving(operation.Length, q.part.enclosure.Carries), q.part.enclosure.PerOperation)
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
