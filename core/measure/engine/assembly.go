package engine

import (
	"time"

	"opengauge/core/stat"
)

// assembly puts the intervals of workers together: the samples of the pass, and
// the throughput of each beat.
type assembly struct {
	sense   func() Senses
	samples []Sample
	total   tally
	beats   []float64 // bytes a second
}

func newAssembly(sense func() Senses) *assembly {
	if sense == nil {
		sense = func() Senses { return Senses{} }
	}
	return &assembly{sense: sense}
}

// add takes the next interval of the pass.
func (a *assembly) add(i interval) {
	sample := i.sample
	sample.P50Seconds, sample.P99Seconds = i.latencies.middleAndTail()
	sample.Senses = a.sense()
	a.samples = append(a.samples, sample)
	a.total.add(i.latencies)
	for _, bytes := range i.beats {
		a.beats = append(a.beats, float64(bytes)/beat.Seconds())
	}
}

// enough says whether the pass knows what it was asked to find out.
func (a *assembly) enough(timing Timing) bool {
	return timing.Within > 0 && a.known(timing.Within) || timing.Round > 0 && a.steady(timing.Round)
}

// steady says whether the rounds so far end in a steady state.
func (a *assembly) steady(round time.Duration) bool {
	state, judged := stat.Steady(a.rounds(round))
	return judged && state.Steady
}

// rounds are the throughputs of the whole rounds so far.
func (a *assembly) rounds(round time.Duration) []float64 {
	var rates []float64
	bytes, from := 0.0, time.Duration(0)
	for _, sample := range a.samples {
		bytes += float64(sample.Bytes)
		if sample.At-from >= round {
			rates = append(rates, bytes/(sample.At-from).Seconds())
			bytes, from = 0, sample.At
		}
	}
	return rates
}

// known says whether the throughput is known to within that share.
func (a *assembly) known(within float64) bool {
	interval, ok := stat.MeanInterval(a.beats)
	return ok && interval.Share() <= within
}

// result sums a pass up from its meters' counts.
func (a *assembly) result(meters []*meter, end time.Duration, timing Timing) Result {
	result := Result{Started: meters[0].started, Elapsed: end - meters[0].started}
	for _, m := range meters {
		result.Bytes += m.bytes
		result.Operations += m.operations
		result.Errors += m.errors
		if result.FirstError == nil {
			result.FirstError = m.firstError
		}
	}
	result.Latency = a.total.histogram().latency()
	result.Samples = joinRemainder(a.samples, timing.Sample)
	result.Throughput, result.Known = stat.MeanInterval(a.beats)
	if timing.Round > 0 {
		if state, judged := stat.Steady(a.rounds(timing.Round)); judged {
			result.Steady = &state
		}
	}
	return result
}
