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
	requests []request // of the operation in each slot
	fetching agenda
	waiting  line
	leaving  line
	medium   time.Duration // when the medium has moved what it was given
	bridge   time.Duration
}

func newQueue(part *Device, slots int) *queue {
	return &queue{part: part, requests: make([]request, max(slots, 1))}
}

func (q *queue) Buffer(int) []byte { return nil }

func (q *queue) Name() string { return "simulated" }

func (q *queue) Close() error { return nil }

func (q *queue) Submit(operations []target.Operation) error {
	now := q.part.now
	for i := range operations {
		o := &operations[i]
		for o.Slot >= len(q.requests) {
			q.requests = append(q.requests, request{})
		}
		q.requests[o.Slot] = request{offset: o.Offset, submitted: now, length: o.Length, action: o.Action}
		switch {
		case q.part.gone():
			q.leaving.push(entry{at: now + q.part.drive.ReadLatency, slot: o.Slot})
		case o.Action == target.Flush:
			at := max(now, q.medium) + q.jitter(q.part.drive.FlushLatency) + q.part.enclosure.Latency
			q.leaving.push(entry{at: at, slot: o.Slot})
		case len(q.fetching.entries) < q.part.drive.Parallelism:
			q.fetch(o.Slot)
		default:
			q.waiting.push(entry{slot: o.Slot})
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
			submitted := q.requests[e.slot].submitted
			done[filled] = target.Completion{Slot: e.slot, Submitted: submitted, Completed: max(e.at, submitted)}
			if q.part.gone() {
				done[filled].Err = syscall.ENODEV
			}
			filled++
			continue
		}
		if len(q.fetching.entries) > 0 && q.fetching.entries[0].at <= q.part.now {
			q.ready(q.fetching.pop().slot)
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
func (q *queue) ready(slot int) {
	q.leaving.push(entry{at: q.move(&q.requests[slot]), slot: slot})
	if !q.waiting.empty() {
		q.fetch(q.waiting.pop().slot)
	}
}

// fetch begins an operation's latency now.
func (q *queue) fetch(slot int) {
	p := q.part
	o := &q.requests[slot]
	at := p.now
	switch {
	case p.arm != nil:
		at += p.arm.reach(o.offset, q.chance())
		p.arm.at = o.offset + int64(o.length)
	case o.action == target.Write:
		at += q.jitter(p.drive.WriteLatency)
	default:
		latency := p.drive.ReadLatency
		if share := p.cells.readShare(); share < 1 {
			latency = time.Duration(float64(latency) / share)
		}
		at += q.jitter(latency)
	}
	q.fetching.push(entry{at: at, slot: slot})
}

// move moves the data of an operation whose latency is over now, behind earlier ones, and says when it will
// be complete.
func (q *queue) move(o *request) time.Duration {
	p, now := q.part, q.part.now
	rate := q.rate(o)
	joules := p.drive.ReadJoules
	if o.action == target.Write {
		joules = p.drive.WriteJoules
		p.cells.take(o.offset, o.length)
	}
	p.heat.spend(joules * float64(o.length))
	q.medium = max(now, q.medium) + moving(o.length, rate)
	end := q.medium
	if p.limits != nil {
		end = max(end, p.limits.pass(now, o.length))
	}
	q.bridge = p.enclosure.stallEnd(max(now, q.bridge)) + max(moving(o.length, p.carries()), p.enclosure.PerOperation)
	// An operation that a limit holds back holds back those behind it.
	q.bridge = max(q.bridge, end)
	leaves := q.bridge
	if hop := p.options.Shared; hop != nil {
		leaves = hop.carry(leaves, o.length)
	}
	return leaves + p.enclosure.Latency
}

// rate is how fast the medium moves an operation's data now.
func (q *queue) rate(o *request) unit.BytesPerSecond {
	p := q.part
	rate := p.drive.ReadRate
	switch {
	case p.arm != nil:
		rate = p.arm.rate(o.offset)
	case o.action == target.Write:
		p.cells.touch(p.now)
		rate = p.cells.writeRate(p.drive.WriteRate, o.offset, o.length)
	default:
		p.cells.touch(p.now)
		rate = unit.BytesPerSecond(float64(rate) * p.cells.readShare())
	}
	return min(rate, p.heat.limit)
}

// chance is from 0 to 1.
func (q *queue) chance() float64 { return float64(q.part.chance.Uint64()>>11) / (1 << 53) }

// jitter spreads a latency evenly about its mean.
func (q *queue) jitter(latency time.Duration) time.Duration {
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
