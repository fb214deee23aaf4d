package sim

import (
	"slices"
	"sync"
	"time"

	"opengauge/core/storage/target"
)

// Turns keeps the clocks of parts together that are driven at once, each from a
// goroutine of its own: a part goes on only while no other one is further back. The
// order is the same on every run.
type Turns struct {
	mutex   sync.Mutex
	changed *sync.Cond
	clocks  map[*Device]time.Duration
}

// ahead is how far a part's clock may get before another's.
const ahead = 50 * time.Microsecond

// Together gives views of parts that take turns. Their clocks are brought to the one
// that is furthest on. A part leaves once its queue is closed.
func Together(parts []*Device) []target.Target {
	turns := &Turns{clocks: map[*Device]time.Duration{}}
	turns.changed = sync.NewCond(&turns.mutex)
	latest := time.Duration(0)
	for _, part := range parts {
		latest = max(latest, part.now)
	}
	views := make([]target.Target, len(parts))
	for i, part := range parts {
		part.Sleep(latest - part.now)
		turns.clocks[part] = latest
		views[i] = &turning{Device: part, turns: turns}
	}
	return views
}

// turning is a part that takes turns.
type turning struct {
	*Device
	turns *Turns
}

// Open gives a queue that takes turns.
func (t *turning) Open(shape target.Shape) (target.Queue, error) {
	queue, err := t.Device.Open(shape)
	return &turningQueue{Queue: queue, part: t.Device, turns: t.turns}, err
}

type turningQueue struct {
	target.Queue
	part  *Device
	turns *Turns
}

// Wait goes on by steps, each no further than the others' clocks allow.
func (q *turningQueue) Wait(done []target.Completion, until time.Duration) (int, error) {
	q.turns.mutex.Lock()
	defer q.turns.mutex.Unlock()
	for {
		limit := q.turns.others(q.part)
		if q.part.now > limit {
			q.turns.changed.Wait()
			continue
		}
		step := until
		if limit < never-ahead {
			step = min(until, limit+ahead)
		}
		count, err := q.Queue.Wait(done, step)
		q.turns.clocks[q.part] = q.part.now
		q.turns.changed.Broadcast()
		if count > 0 || err != nil || q.part.now >= until {
			return count, err
		}
	}
}

// others is the clock of whichever other part is furthest back.
func (t *Turns) others(part *Device) time.Duration {
	least := never
	for other, clock := range t.clocks {
		if other != part {
			least = min(least, clock)
		}
	}
	return least
}

// Close closes the queue and leaves the others to themselves.
func (q *turningQueue) Close() error {
	q.turns.mutex.Lock()
	delete(q.turns.clocks, q.part)
	q.turns.changed.Broadcast()
	q.turns.mutex.Unlock()
	return q.Queue.Close()
}

// KeepTogether makes simulated parts keep their clocks together; real ones share one.
func KeepTogether(targets []target.Target) []target.Target {
	parts := make([]*Device, len(targets))
	for i, each := range targets {
		part, ok := each.(*Device)
		if !ok {
			return slices.Clone(targets)
		}
		parts[i] = part
	}
	return Together(parts)
}
