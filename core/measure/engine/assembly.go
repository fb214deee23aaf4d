package engine

import (
	"time"

	"opengauge/core/stat"
)

// assembly puts the intervals of workers together: the samples of the pass, and
// the throughput of each beat.
type assembly struct {
	sense   func() Senses
	sampled func(Sample) bool // or nil
	told    bool              // that it is enough
	samples []Sample
	total   tally
	beats   []float64 // bytes a second
}

func newAssembly(w Watch) *assembly {
	sense := w.Sense
	if sense == nil {
		sense = func() Senses { return Senses{} }
	}
	return &assembly{sense: sense, sampled: w.Sample}
}

// add takes the next interval of the pass.
func (a *assembly) add(i interval) {
	sample := i.sample
	sample.P50Seconds, sample.P99Seconds = i.latencies.middleAndTail()
	sample.Senses = a.sense()
	a.samples = append(a.samples, sample)
	if a.sampled != nil && a.sampled(sample) {
		a.told = true
	}
	a.total.add(i.latencies)
	for _, bytes := range i.beats {
		a.beats = append(a.beats, float64(bytes)/beat.Seconds())
	}
}

// enough reports whether the pass has found out all it was asked to.
func (a *assembly) enough(timing Timing) bool {
	return a.told || timing.Within > 0 && a.known(timing.Within) || timing.Round > 0 && a.steady(timing.Round)
}

// steady says whether the rounds so far end in a steady state.
func (a *assembly) steady(round time.Duration) bool {
	state, judged := stat.Steady(a.rounds(round))
	return judged && state.Steady
}

// rounds are the throughputs of the whole rounds so far.
func (a *assembly) rounds(round time.Duration) []float64 {
	var rates []float64
	bytes := 0.0
	from := time.Duration(0)
	for _, sample := range a.samples {
		bytes += float64(sample.Bytes)
		if sample.At-from >= round {
			rates = append(rates, bytes/(sample.At-from).Seconds())
			bytes = 0
			from = sample.At
		}
	}
	return rates
}

// known says whether the throughput is known to within that share.
func (a *assembly) known(within float64) bool {
	interval, ok := stat.MeanInterval(a.beats)
	return ok && interval.Share() <= within
}

// result sums a pass up from its workers' counts. The interval of its mean is that of the beats, which end
// with the last operation; a flush behind them, for which the mean pays too, stretches both alike.
func (a *assembly) result(workers []*worker, timing Timing) Result {
	result := Result{Started: workers[0].meter.started}
	end := time.Duration(0)
	ended := time.Duration(0)
	busy := time.Duration(0)
	var lateness tally
	for _, w := range workers {
		m := w.meter
		end, ended = max(end, w.end), max(ended, m.ended)
		result.Flush = max(result.Flush, w.flushTook)
		result.CutShort = result.CutShort || w.cut
		result.Bytes += m.bytes
		result.Operations += m.operations
		result.Errors += m.errors
		result.Short += m.short
		result.Retried += m.retried
		result.Attempts += m.attempts
		result.Moved.Read += w.moved.Read
		result.Moved.Written += w.moved.Written
		result.Spun += w.spun
		result.CutOff += m.cutOff.count
		for _, failure := range m.failures {
			result.Failures = failures(result.Failures).add(failure)
		}
		busy += m.busy
		a.total.add(m.cutOff)
		lateness.add(m.lateness)
	}
	if len(result.Failures) > 0 {
		result.FirstError = result.Failures[0].Err
	}
	if !workers[0].meter.counted { // it ended while it settled
		result.Started = end
	}
	result.Elapsed = end - result.Started
	result.Latency = a.total.histogram().latency()
	result.Lateness.P50Seconds, result.Lateness.P99Seconds = lateness.histogram().middleAndTail()
	result.Samples = joinRemainder(a.samples, timing.Sample)
	result.Throughput, result.Known = stat.MeanInterval(a.beats)
	if counted := ended - result.Started; counted > 0 {
		result.MeanDepth = busy.Seconds() / counted.Seconds()
		result.Throughput = result.Throughput.Scaled(counted.Seconds() / result.Elapsed.Seconds())
	}
	if timing.Round > 0 {
		if state, judged := stat.Steady(a.rounds(timing.Round)); judged {
			result.Steady = &state
		}
	}
	return result
}
