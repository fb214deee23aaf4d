package engine

import (
	"sync/atomic"
	"time"

	"opengauge/core/unit"
)

// reporter tells a watcher how far the pass is, a few times a second.
type reporter struct {
	report    func(Progress)
	begun     bool
	counting  bool
	began     time.Duration
	toldAt    time.Duration
	toldBytes unit.Bytes
}

func (r *reporter) tell(now time.Duration, m *meter) {
	if r.report == nil {
		return
	}
	r.tellBytes(now, m.counting, m.bytes)
}

func (r *reporter) tellBytes(now time.Duration, counting bool, bytes unit.Bytes) {
	if !r.begun || counting != r.counting {
		r.begun, r.counting, r.began, r.toldAt, r.toldBytes = true, counting, now, now, 0
	}
	if now < r.toldAt+2*heartbeat {
		return
	}
	passed := (now - r.toldAt).Seconds()
	r.report(Progress{
		Counting: r.counting, Elapsed: now - r.began, Bytes: bytes,
		Rate: unit.BytesPerSecond(float64(bytes-r.toldBytes) / passed),
	})
	r.toldAt, r.toldBytes = now, bytes
}

// sharedReporter adds up what several workers have counted. The first of them
// reports; the others only leave their counts.
type sharedReporter struct {
	counted []atomic.Int64
	reporter
}

func (r *sharedReporter) tell(number int, now time.Duration, m *meter) {
	if r.report == nil {
		return
	}
	r.counted[number].Store(int64(m.bytes))
	if number != 0 || now < r.toldAt+2*heartbeat && m.counting == r.counting {
		return
	}
	var bytes unit.Bytes
	for i := range r.counted {
		bytes += unit.Bytes(r.counted[i].Load())
	}
	r.tellBytes(now, m.counting, bytes)
}
