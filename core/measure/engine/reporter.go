package engine

import (
	"sync/atomic"
	"time"

	"opengauge/core/unit"
)

// phase is the phase of a pass; it settles where neither is set.
type phase struct{ counting, flushing bool }

func (m *meter) phase() phase { return phase{m.counting, m.flushing} }

// reporter tells a watcher how far the pass is, a few times a second.
type reporter struct {
	report    func(Progress)
	begun     bool
	phase     phase
	began     time.Duration
	toldAt    time.Duration
	toldBytes unit.Bytes
}

func (r *reporter) tell(now time.Duration, m *meter) {
	if r.report == nil {
		return
	}
	r.tellBytes(now, m.phase(), m.bytes)
}

func (r *reporter) tellBytes(now time.Duration, phase phase, bytes unit.Bytes) {
	if !r.begun || phase != r.phase {
		r.begun = true
		r.phase = phase
		r.began = now
		r.toldAt = now
		r.toldBytes = bytes
	}
	if now < r.toldAt+2*heartbeat {
		return
	}
	passed := (now - r.toldAt).Seconds()
	r.report(Progress{
		Counting: phase.counting, Flushing: phase.flushing, Elapsed: now - r.began, Bytes: bytes,
		Rate: unit.BytesPerSecond(float64(bytes-r.toldBytes) / passed),
	})
	r.toldAt = now
	r.toldBytes = bytes
}

// sharedReporter adds up the counts of several workers. The first of them reports; the others only leave
// their counts.
type sharedReporter struct {
	counted []atomic.Int64
	reporter
}

func (r *sharedReporter) tell(number int, now time.Duration, m *meter) {
	if r.report == nil {
		return
	}
	r.counted[number].Store(int64(m.bytes))
	if number != 0 || now < r.toldAt+2*heartbeat && m.phase() == r.phase {
		return
	}
	var bytes unit.Bytes
	for i := range r.counted {
		bytes += unit.Bytes(r.counted[i].Load())
	}
	r.tellBytes(now, m.phase(), bytes)
}
