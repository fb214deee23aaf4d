package engine

import (
	"time"

	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// interval is one sample of one worker, in a form that can be added to the same sample of others.
type interval struct {
	sample    Sample
	latencies *histogram
	beats     []unit.Bytes // bytes in each whole beat that ended in it
}

// meter counts one worker's completions, and cuts its counts into intervals.
type meter struct {
	length time.Duration
	// cutter takes a finished interval and gives an empty histogram for the
	// next one.
	cutter func(interval) *histogram

	counting bool
	counted  bool // whether it ever was
	flushing bool
	started  time.Duration
	ended    time.Duration
	cut      time.Duration // where the current interval began
	// limit is the end of the window: completions after it belong to nobody.
	// 0 is no limit.
	limit time.Duration

	operations int64
	bytes      unit.Bytes
	errors     int64
	// short counts errors of operations that moved less than their length, retried the repeated requests, and
	// attempts all operations that came back.
	short    int64
	retried  int64
	attempts int64
	failures failures
	// cutOff are the latencies of operations that the end of the window cut off:
	// they began in it, and it ended before they did.
	cutOff *histogram
	// lateness is by how much this program itself began operations too late, of a
	// load with a fixed rate.
	lateness *histogram
	// busy is for how long operations were under way while the pass counted, each
	// for itself.
	busy time.Duration

	current   interval
	beatEnd   time.Duration
	beatBytes unit.Bytes
}

// beat is the stretch whose throughputs the interval of a pass's mean is
// computed from: short enough that a second has several.
const beat = 100 * time.Millisecond

func newMeter(length time.Duration, cutter func(interval) *histogram) *meter {
	return &meter{
		length: length, cutter: cutter, current: interval{latencies: newHistogram()},
		cutOff: newHistogram(), lateness: newHistogram(),
	}
}

// start begins to count.
func (m *meter) start(now time.Duration) {
	m.counting = true
	m.started = now
	m.cut = now
	m.beatEnd = now + beat
	m.errors = 0
	m.failures = nil
	m.counted = true
	m.short = 0
	m.retried = 0
	m.attempts = 0
	m.current.sample = Sample{}
}

// beyond says whether a time is after the window.
func (m *meter) beyond(at time.Duration) bool { return m.limit > 0 && at > m.limit }

// record takes one completion, whose latency counts from since. Before the pass
// counts it notes errors only.
func (m *meter) record(completion *target.Completion, since time.Duration, block unit.Bytes) {
	m.attempts++
	if !m.counting {
		return
	}
	began := max(completion.Submitted, completion.Began)
	if m.beyond(completion.Completed) {
		m.noteCutOff(since, began, completion.Completed)
		return
	}
	m.busy += completion.Completed - max(began, m.started)
	if completion.Completed >= m.nextEnd() {
		m.cutUntil(completion.Completed)
	}
	m.current.latencies.record(completion.Completed - since)
	m.current.sample.Operations++
	m.current.sample.Bytes += block
	m.beatBytes += block
	m.operations++
	m.bytes += block
}

// fail notes that an operation failed.
func (m *meter) fail(action target.Action, offset int64, err error) {
	m.attempts++
	m.errors++
	if _, ok := err.(*target.ShortError); ok {
		m.short++
	}
	m.current.sample.Errors++
	m.failures = m.failures.with(action, offset, err)
}

// noteCutOff notes an operation that the window's end cut off, with the known part of its latency: all of it,
// or its age.
func (m *meter) noteCutOff(since, began, now time.Duration) {
	m.cutOff.record(now - since)
	if m.limit > began {
		m.busy += m.limit - max(began, m.started)
	}
}

// nextEnd is when the current beat or interval ends, whichever is first.
func (m *meter) nextEnd() time.Duration { return min(m.beatEnd, m.cut+m.length) }

// nextCut is the end of the current interval, if that is before until.
func (m *meter) nextCut(until time.Duration) time.Duration {
	if !m.counting || m.beyond(m.cut+m.length) {
		return until
	}
	return min(until, m.cut+m.length)
}

// cutUntil ends every beat and interval that is over by now.
func (m *meter) cutUntil(now time.Duration) {
	if m.limit > 0 {
		now = min(now, m.limit)
	}
	for m.counting && now >= m.nextEnd() {
		end := m.nextEnd()
		if end == m.beatEnd {
			m.current.beats = append(m.current.beats, m.beatBytes)
			m.beatBytes = 0
			m.beatEnd = m.beatEnd + beat
		}
		if end == m.cut+m.length {
			m.end(end)
		}
	}
}

// end closes the current interval at that time.
func (m *meter) end(at time.Duration) {
	m.current.sample.At = at - m.started
	m.current.sample.Elapsed = at - m.cut
	m.current = interval{latencies: m.cutter(m.current)}
	m.cut = at
}

// finish closes the intervals that are left, at the end of the pass. A thread that was
// kept from running may have more than one of them.
func (m *meter) finish(end time.Duration) {
	m.cutUntil(end)
	if m.counting && (end > m.cut || m.current.sample.Operations > 0 || m.current.sample.Errors > 0) {
		m.end(end)
	}
	m.counting = false
	m.ended = end
}
