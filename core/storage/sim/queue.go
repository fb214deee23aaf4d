package sim

import (
	"math"
	"syscall"
	"time"

	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// queue serves operations in two stages. First each takes its latency: on one of
// the medium's units, or waiting for one. Then, in the order in which they are
// ready, their data moves through the medium at its rate, the limits of a
// volume, and the enclosure's bridge; a stage is a time at which it is free
// again. So they leave in that order too.
type queue struct {
	part     *Device
	fetching agenda
	waiting  line
	leaving  line
	medium   time.Duration // when the medium has moved what it was given
	bridge   time.Duration
}

func newQueue(part *Device) *queue { return &queue{part: part} }

func (q *queue) Buffer(int) []byte { return nil }

func (q *queue) Name() string { return "simulated" }

func (q *queue) Close() error { return nil }

func (q *queue) Submit(operations []target.Operation) error {
	now := q.part.now
	for i := range operations {
		e := entry{submitted: now, operation: requestOf(&operations[i])}
		switch {
		case q.part.gone():
			e.at = now + q.part.drive.ReadLatency
			q.leaving.push(e)
		case e.operation.action == target.Flush:
			e.at = max(now, q.medium) + q.jittered(q.part.drive.FlushLatency) + q.part.enclosure.Latency
			q.leaving.push(e)
		case len(q.fetching.entries) < q.part.drive.Parallelism:
			q.fetch(e)
		default:
			q.waiting.push(e)
		}
	}
	return nil
}

func (q *queue) Wait(done []target.Completion, until time.Duration) (int, error) {
	filled := 0
	for {
		at := q.next()
		if filled > 0 && (at > q.part.now || filled == len(done)) {
			return filled, nil
		}
		if at > until {
			q.advance(until)
			return 0, nil
		}
		q.advance(at)
		if !q.leaving.empty() && q.leaving.head().at <= q.part.now {
			e := q.leaving.pop()
			done[filled] = target.Completion{Slot: int(e.operation.slot), Submitted: e.submitted,
				Completed: max(e.at, e.submitted)}
			if q.part.gone() {
				done[filled].Err = syscall.ENODEV
			}
			filled++
			continue
		}
		if len(q.fetching.entries) > 0 && q.fetching.entries[0].at <= q.part.now {
			q.ready(q.fetching.pop())
		}
	}
}

// never is later than anything.
const never = time.Duration(math.MaxInt64)

// next is when the next thing happens.
func (q *queue) next() time.Duration {
	at := never
	if !q.leaving.empty() {
		at = max(q.leaving.head().at, q.part.now)
	}
	if len(q.fetching.entries) > 0 {
		at = min(at, max(q.fetching.entries[0].at, q.part.now))
	}
	return at
}

func (q *queue) advance(now time.Duration) {
	if now > q.part.now {
		q.part.now = now
	}
	q.part.heat.advance(q.part.now)
}

// ready lets an operation whose latency is over leave, and the next one that
// waits begin.
func (q *queue) ready(e entry) {
	e.at = q.move(e.operation)
	q.leaving.push(e)
	if !q.waiting.empty() {
		q.fetch(q.waiting.pop())
	}
}

// fetch begins an operation's latency now.
func (q *queue) fetch(e entry) {
	p := q.part
	switch {
	case p.arm != nil:
		e.at = p.now + p.arm.reach(e.operation.offset, q.chance())
		p.arm.at = e.operation.offset + int64(e.operation.length)
	case e.operation.action == target.Write:
		e.at = p.now + q.jittered(p.drive.WriteLatency)
	default:
		latency := p.drive.ReadLatency
		if share := p.cells.readShare(); share < 1 {
			latency = time.Duration(float64(latency) / share)
		}
		e.at = p.now + q.jittered(latency)
	}
	q.fetching.push(e)
}

// move moves the data of an operation whose latency is over now, behind that of
// those that were ready before, and says when it will be complete.
func (q *queue) move(o request) time.Duration {
	p, now := q.part, q.part.now
	rate := q.rate(o)
	joules := p.drive.ReadJoules
	if o.action == target.Write {
		joules = p.drive.WriteJoules
		p.cells.take(o.offset, int(o.length))
	}
	p.heat.spend(joules * float64(o.length))
	q.medium = max(now, q.medium) + moving(int(o.length), rate)
	end := q.medium
	if p.limits != nil {
		end = max(end, p.limits.pass(now, int(o.length)))
	}
	q.bridge = p.enclosure.stalled(max(now, q.bridge)) + max(moving(int(o.length), p.carries()), p.enclosure.PerOperation)
	// An operation that a limit holds back holds back those behind it.
	q.bridge = max(q.bridge, end)
	leaves := q.bridge
	if hop := p.options.Shared; hop != nil {
		leaves = hop.carry(leaves, int(o.length))
	}
	return leaves + p.enclosure.Latency
}

// rate is how fast the medium moves an operation's data now.
func (q *queue) rate(o request) unit.BytesPerSecond {
	p := q.part
	rate := p.drive.ReadRate
	switch {
	case p.arm != nil:
		rate = p.arm.rate(o.offset)
	case o.action == target.Write:
		p.cells.touch(p.now)
		rate = p.cells.writeRate(p.drive.WriteRate, o.offset, int(o.length))
	default:
		p.cells.touch(p.now)
		rate = unit.BytesPerSecond(float64(rate) * p.cells.readShare())
	}
	return min(rate, p.heat.limit)
}

// chance is from 0 to 1.
func (q *queue) chance() float64 { return float64(q.part.chance.Uint64()>>11) / (1 << 53) }

// jittered spreads a latency evenly about its mean.
func (q *queue) jittered(latency time.Duration) time.Duration {
	if q.part.drive.Jitter == 0 {
		return latency
	}
	spread := 2*q.chance() - 1
	return latency + time.Duration(float64(latency)*q.part.drive.Jitter*spread)
}

// moving is the time that data takes at a rate.
func moving(length int, rate unit.BytesPerSecond) time.Duration {
	return time.Duration(float64(length) / float64(rate) * 1e9)
}
