package explain

import (
	"math"

	"opengauge/core/record/session"
)

// Silence is a stretch in which nothing moved though somebody looked.
type Silence struct {
	From, To float64 // seconds since the pass began to count
	Errors   int64
	// Returned says that something moved again.
	Returned bool
	// Probability is that the device did not answer, and was not just left alone.
	Probability float64
	// Planned says that it is one of several alike, as a rest is.
	Planned bool
}

const (
	// shortestSilence is the least, in seconds, that is no stall of a queue, and
	// certainSilence what no housekeeping takes.
	shortestSilence, certainSilence = 1.5, 4.0
	// trickle is the share of the typical rate below which nothing moves: what a
	// system's own bookkeeping makes.
	trickle = 0.003
)

// findSilences finds the stretches in which nothing moved, to the sample. Where samples
// are missing in what this program measured, nothing was over; in a recording from
// elsewhere, nobody looked.
func (r *recording) findSilences(samples []session.Sample, measured bool) {
	limit := trickle * typicalRate(samples)
	silent, errors := -1.0, int64(0)
	last := 0.0
	end := func(to float64, returned bool) {
		if silent >= 0 && to-silent >= shortestSilence && silent > 0 {
			r.silences = append(r.silences, Silence{From: silent, To: to, Errors: errors, Returned: returned})
		}
		silent, errors = -1, 0
	}
	for i := range samples {
		s := &samples[i]
		begins := s.TSeconds - s.ElapsedSeconds
		if gap := begins - last; gap > max(3*r.step, 3) {
			end(last, true)
			if measured && last > 0 && gap >= certainSilence {
				r.silences = append(r.silences, Silence{From: last, To: begins, Returned: true})
			}
		}
		last = s.TSeconds
		if float64(s.BytesPerSecond) <= limit {
			if silent < 0 {
				silent = begins
			}
			errors += s.Errors
			continue
		}
		end(begins, true)
	}
	end(last, false)
}

// typicalRate is about the rate at which half of the samples that moved anything were.
func typicalRate(samples []session.Sample) float64 {
	stride := max(len(samples)/2000, 1)
	sum, count := 0.0, 0.0
	for i := 0; i < len(samples); i += stride {
		if rate := float64(samples[i].BytesPerSecond); rate > 0 {
			sum, count = sum+math.Log(rate), count+1
		}
	}
	if count == 0 {
		return 0
	}
	return math.Exp(sum / count)
}

// judgeSilences says how likely it is that the device did not answer.
func (r *recording) judgeSilences(c Context) {
	planned := r.planned()
	for i := range r.silences {
		s := &r.silences[i]
		lasted := s.To - s.From
		odds := -0.5
		switch {
		case lasted >= certainSilence:
			odds = 3.5
		case lasted >= 2.5:
			odds = 0.5
		}
		if s.Errors > 0 {
			odds += 3
		}
		if s.Planned = planned; planned {
			odds = -4
		}
		s.Probability = logistic(odds)
	}
}

// planned says whether the silences of a recording are rests: two or more, alike in
// length and in how far apart they are, without an error, the work before the first as
// long as that between them.
func (r *recording) planned() bool {
	var lengths, works []float64
	last := 0.0
	for _, s := range r.silences {
		if s.Errors > 0 {
			return false
		}
		if s.Returned {
			lengths = append(lengths, s.To-s.From)
		}
		works = append(works, s.From-last)
		last = s.To
	}
	slack := 2*r.step + 0.5
	return len(lengths) >= 2 && alike(lengths, slack) && alike(works, slack)
}

func alike(values []float64, slack float64) bool {
	low, high := math.Inf(1), math.Inf(-1)
	for _, v := range values {
		low, high = min(low, v), max(high, v)
	}
	return high-low <= slack+0.02*high
}

func logistic(x float64) float64 { return 1 / (1 + math.Exp(-x)) }
