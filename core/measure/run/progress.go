package run

import (
	"fmt"
	"time"

	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Progress is how far a run is. It is told several times a second.
type Progress struct {
	// Doing is the current activity: "filling the test file", or the pass.
	Doing string
	// Pass counts from 1; it is 0 while the test file is filled.
	Pass, Passes int
	// Share of the whole run that is done, from 0 to 1.
	Share float64
	Rate  unit.BytesPerSecond
	// Left is the time left, by the target's clock.
	Left time.Duration
	// Ended is the pass that has just ended, or nil.
	Ended *session.Pass
	// Elapsed is how long the pass has counted, Writes whether it changes the
	// storage, and Latency how long an operation takes now, by Little's law.
	Elapsed time.Duration
	Writes  bool
	Latency time.Duration
	// The readings beside the figures, and the last event.
	Temperatures map[string]unit.Celsius
	Readings     map[string]float64
	Event        string
	// Says is how the pass comes to be as it is, as far as that can be said by now.
	Says string
	// Others describes the throughput of other hosts.
	Others string
}

// tracker turns the engine's progress into the run's.
type tracker struct {
	watch  func(Progress)
	follow Follower // or nil
	passes []plan.Pass
	at     int
	// ended and expected count the passes that are over, and those to come.
	ended, expected int
	fill            unit.Bytes
	filled          time.Duration // how long filling took, or is thought to take
	total           time.Duration
	before          time.Duration // of what is over
}

// assumedFillRate is the guess for the time left before anything was written.
const assumedFillRate unit.BytesPerSecond = 500e6

func newTracker(p plan.Plan, hold time.Duration, d target.Description, watch func(Progress)) tracker {
	if watch == nil {
		watch = func(Progress) {}
	}
	estimate := p.Estimate(hold)
	t := tracker{watch: watch, passes: p.Passes(hold), expected: estimate.Passes, total: estimate.Elapsed}
	if d.Unfilled {
		t.fill = d.Span
		t.filled = unit.Duration(float64(d.Span) / float64(assumedFillRate))
	}
	return t
}

func (t *tracker) tell(p Progress, elapsed time.Duration) {
	whole := t.filled + t.total
	p.Passes = max(t.expected, t.ended)
	p.Left = max(whole-elapsed, 0)
	if whole > 0 {
		p.Share = min(float64(elapsed)/float64(whole), 1)
	}
	t.watch(p)
}

func (t *tracker) filling(p engine.Progress) {
	if p.Bytes > 0 {
		t.filled = time.Duration(float64(p.Elapsed) * float64(t.fill) / float64(p.Bytes))
	}
	t.tell(Progress{Doing: "filling the test file", Rate: p.Rate}, p.Elapsed)
}

func (t *tracker) resting(elapsed, longest time.Duration) {
	t.tell(Progress{Doing: "resting", Pass: t.ended}, t.before+min(elapsed, longest))
}

func (t *tracker) fillingTo(level, share float64) {
	t.tell(Progress{Doing: fmt.Sprintf("filling to %.0f %%, at %.0f %%", level*100, share*100), Pass: t.ended},
		t.before)
}

func (t *tracker) waiting() {
	t.tell(Progress{Doing: "the device vanished; waiting for it", Pass: t.ended}, t.before)
}

func (t *tracker) meeting() {
	t.tell(Progress{Doing: "waiting for the other hosts", Pass: t.ended}, t.before)
}

func (t *tracker) readingBack(p engine.Progress) {
	t.tell(Progress{Doing: "reading back what was written", Pass: t.ended, Rate: p.Rate}, t.before)
}

func (t *tracker) begin(p plan.Pass) {
	t.at = p.Index
	t.before = max(t.before, t.filled)
}

func (t *tracker) measuring(p engine.Progress) {
	pass := t.passes[t.at]
	elapsed := p.Elapsed
	doing := pass.Label()
	switch {
	case p.Counting:
		elapsed += pass.Settle()
	case p.Flushing:
		elapsed = pass.Time()
		doing = fmt.Sprintf("%s (flushing for %.0f s)", doing, p.Elapsed.Seconds())
	default:
		doing += " (settling)"
	}
	elapsed = min(elapsed, pass.Time())
	told := Progress{Doing: doing, Pass: t.ended + 1, Rate: p.Rate, Writes: pass.Operation.Writes()}
	if p.Counting {
		told.Elapsed = p.Elapsed
	}
	if p.Counting && t.follow != nil {
		told.Says, _ = t.follow.Says()
	}
	if p.Rate > 0 {
		told.Latency = unit.Duration(float64(pass.Outstanding()) * float64(pass.Block) / float64(p.Rate))
	}
	t.tell(told, t.before+elapsed)
}

func (t *tracker) end(record session.Pass) {
	pass := t.passes[t.at]
	t.before += pass.Time()
	t.ended++
	t.tell(Progress{Doing: pass.Label(), Pass: t.ended, Rate: record.BytesPerSecond, Ended: &record}, t.before)
}
