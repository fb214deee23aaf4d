package engine

import (
	"time"

	"opengauge/core/unit"
)

// reporter tells a watcher how far the pass is, a few times a second.
type reporter struct {
	report    func(Progress)
	counting  bool
	began     time.Duration
	toldAt    time.Duration
	toldBytes unit.Bytes
}

func (r *reporter) restart(counting bool, now time.Duration) {
	r.counting, r.began, r.toldAt, r.toldBytes = counting, now, now, 0
}

func (r *reporter) tell(now time.Duration, m *meter) {
	if r.report == nil || now < r.toldAt+2*heartbeat {
		return
	}
	passed := (now - r.toldAt).Seconds()
	r.report(Progress{
		Counting: r.counting, Elapsed: now - r.began, Bytes: m.bytes,
		Rate: unit.BytesPerSecond(float64(m.bytes-r.toldBytes) / passed),
	})
	r.toldAt, r.toldBytes = now, m.bytes
}
