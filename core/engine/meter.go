package engine

import (
	"time"

	"opengauge/core/target"
	"opengauge/core/unit"
)

// meter counts completions, and cuts what it counts into samples.
type meter struct {
	length       time.Duration
	temperatures func() map[string]unit.Celsius

	counting bool
	started  time.Duration
	cut      time.Duration // where the current sample began
	// limit is the end of the window: completions after it belong to nobody.
	// 0 is no limit.
	limit time.Duration

	operations int64
	bytes      unit.Bytes
	errors     int64
	firstError error

	total   *histogram // of all samples before the current one
	current *histogram
	sample  Sample
	samples []Sample
}

func newMeter(length time.Duration, temperatures func() map[string]unit.Celsius) *meter {
	if temperatures == nil {
		temperatures = func() map[string]unit.Celsius { return nil }
	}
	return &meter{length: length, temperatures: temperatures, total: newHistogram(), current: newHistogram()}
}

// start begins to count.
func (m *meter) start(now time.Duration) {
	m.counting, m.started, m.cut = true, now, now
	m.errors, m.firstError = 0, nil
	m.sample = Sample{}
}

// beyond says whether a time is after the window.
func (m *meter) beyond(at time.Duration) bool { return m.limit > 0 && at > m.limit }

// record takes one completion. Before the pass counts it notes errors only.
func (m *meter) record(completion target.Completion, block unit.Bytes) {
	if completion.Err != nil {
		m.errors++
		m.sample.Errors++
		if m.firstError == nil {
			m.firstError = completion.Err
		}
		return
	}
	if !m.counting || m.beyond(completion.Completed) {
		return
	}
	if completion.Completed >= m.cut+m.length {
		m.cutUntil(completion.Completed)
	}
	m.current.record(completion.Completed - completion.Submitted)
	m.sample.Operations++
	m.sample.Bytes += block
	m.operations++
	m.bytes += block
}

// nextCut is the end of the current sample, if that is before until.
func (m *meter) nextCut(until time.Duration) time.Duration {
	if !m.counting || m.beyond(m.cut+m.length) {
		return until
	}
	return min(until, m.cut+m.length)
}

// cutUntil ends every sample that is over by now.
func (m *meter) cutUntil(now time.Duration) {
	for m.counting && now >= m.cut+m.length && !m.beyond(m.cut+m.length) {
		m.end(m.cut + m.length)
	}
}

// end closes the current sample at that time.
func (m *meter) end(at time.Duration) {
	m.sample.At = at - m.started
	m.sample.Elapsed = at - m.cut
	m.sample.P50Seconds = m.current.seconds(0.50)
	m.sample.P99Seconds = m.current.seconds(0.99)
	m.sample.Temperatures = m.temperatures()
	m.samples = append(m.samples, m.sample)
	m.total.merge(m.current)
	m.current.reset()
	m.sample = Sample{}
	m.cut = at
}

// result closes the last sample and sums up. A remainder shorter than half a
// sample joins the sample before it, so that its rate means something.
func (m *meter) result(end time.Duration) Result {
	if !m.counting {
		return Result{Started: end, Errors: m.errors, FirstError: m.firstError, CutShort: true}
	}
	rest := end - m.cut
	switch {
	case rest <= 0 && m.sample.Operations == 0 && m.sample.Errors == 0:
	case rest < m.length/2 && len(m.samples) > 0:
		m.join(end)
	default:
		m.end(end)
	}
	return Result{
		Started: m.started, Elapsed: end - m.started,
		Bytes: m.bytes, Operations: m.operations, Errors: m.errors, FirstError: m.firstError,
		Latency: m.total.latency(), Samples: m.samples,
	}
}

// join adds the current remainder to the last whole sample. The quantiles of
// that sample stay those of its whole part.
func (m *meter) join(end time.Duration) {
	last := &m.samples[len(m.samples)-1]
	last.At = end - m.started
	last.Elapsed += end - m.cut
	last.Bytes += m.sample.Bytes
	last.Operations += m.sample.Operations
	last.Errors += m.sample.Errors
	m.total.merge(m.current)
}
