package stream

import (
	"cmp"
	"errors"

	"opengauge/core/judge/finding"
	"opengauge/core/judge/move"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Answer is whether a session's storage carries a stream, for reading and for
// writing; a side is nil where it was not measured.
type Answer struct {
	Stream  Stream `json:"stream"`
	Reading *Side  `json:"reading,omitempty"`
	Writing *Side  `json:"writing,omitempty"`
}

// Side is one direction of an answer.
type Side struct {
	Outcome
	// Most is the greatest number of them at once that is carried.
	Most int `json:"most_at_once"`
	// EndedBy is the kind of finding over which it ended, TooSlow, or empty.
	EndedBy string `json:"ended_by,omitempty"`
	// From says which recording it follows from, and Seconds how long that is.
	From    string  `json:"from"`
	Seconds float64 `json:"seconds"`
	// Settled says that it is known how it goes on after that.
	Settled bool `json:"settled"`
	// Amounts are whether so much of it is carried, all of them together.
	Amounts []AmountOf `json:"amounts,omitempty"`
}

// AmountOf says whether an amount of streams is carried.
type AmountOf struct {
	Amount unit.Bytes `json:"amount_bytes"`
	Held   Held       `json:"carried"`
}

// TooLarge is of more than the storage holds.
const TooLarge Held = "more than it holds"

// Ends names the end of the streams, in either direction.
func (a Answer) Ends() string {
	var reading, writing string
	if a.Reading != nil {
		reading = a.Reading.EndedBy
	}
	if a.Writing != nil {
		writing = a.Writing.EndedBy
	}
	return cmp.Or(writing, reading)
}

// recording is a series of one direction.
type recording struct {
	label    string
	pass     int // its index, or -1
	capacity unit.Bytes
	series   Series
}

func (r recording) seconds() float64 {
	sum := 0.0
	for _, each := range r.series.Recorded {
		sum += each.Seconds
	}
	return sum
}

// fewestSamples make a recording.
const fewestSamples = 2

// Answers says of each stream whether a session's storage carries it, and amounts of it. It follows the
// longest recording in order of each direction, of large blocks where there is one; findings name the cause
// of an end.
func Answers(s *session.Session, findings []session.Finding, streams []Stream, amounts ...unit.Bytes) ([]Answer,
	error) {
	curves := move.Of(s)
	reads := recordingOf(curves, false)
	writes := recordingOf(curves, true)
	if len(reads.series.Recorded) < fewestSamples && len(writes.series.Recorded) < fewestSamples {
		return nil, errors.New("the session has no sequential pass or copy of two samples or more; measure with " +
			"--plan warm-up, or long-write")
	}
	answers := make([]Answer, len(streams))
	for i, each := range streams {
		answers[i] = Answer{Stream: each, Reading: sideOf(reads, each, findings, amounts),
			Writing: sideOf(writes, each, findings, amounts)}
	}
	return answers, nil
}

// recordingOf returns the longest recording of a direction: of passes in order and of the work of single
// ends, large blocks first.
func recordingOf(curves []move.Curve, writes bool) recording {
	var best *move.Curve
	for i := range curves {
		c := &curves[i]
		if !streams(c) || c.Key.Writes() != writes || len(c.Recording()) < fewestSamples {
			continue
		}
		if best == nil || bulk(c) && !bulk(best) || bulk(c) == bulk(best) && c.Longest() > best.Longest() {
			best = c
		}
	}
	if best == nil {
		return recording{}
	}
	r := recording{label: best.Key.String(), pass: best.Index, capacity: best.Capacity}
	if best.Key.IsCopy() {
		r.pass = -1
	}
	r.series.Recorded = stretches(best.Recording())
	if onward, known := best.Onward(); known {
		r.series.Onward = stretches(onward)
	}
	return r
}

// streams reports whether a curve's load resembles media streams.
func streams(c *move.Curve) bool {
	if c.Key.IsCopy() {
		return !c.Key.IsWholeCopy()
	}
	return c.Key.Load.Access == load.Sequential
}

func bulk(c *move.Curve) bool { return c.Key.IsCopy() || c.Key.Load.Bulk() }

func stretches(from []move.Stretch) []Stretch {
	made := make([]Stretch, len(from))
	for i, each := range from {
		made[i] = Stretch{each.Seconds, unit.BytesPerSecond(each.Rate)}
	}
	return made
}

// TooSlow ends a stream that the storage was never fast enough for, which is for
// wholeSeries of the time.
const (
	TooSlow     = "too slow"
	wholeSeries = 0.98
)

func sideOf(r recording, s Stream, findings []session.Finding, amounts []unit.Bytes) *Side {
	if len(r.series.Recorded) < fewestSamples {
		return nil
	}
	side := &Side{Outcome: Carry(r.series, s, s.AtOnce), Most: Most(r.series, s), From: r.label, Seconds: r.seconds(),
		Settled: len(r.series.Onward) > 0}
	for _, amount := range amounts {
		held := side.For(amount, s)
		if r.capacity > 0 && amount > r.capacity {
			held = TooLarge
		}
		side.Amounts = append(side.Amounts, AmountOf{amount, held})
	}
	switch {
	case side.Carried:
	case side.Extrapolated, side.LongestStallSeconds >= wholeSeries*side.Seconds:
		side.EndedBy = TooSlow
	case r.pass >= 0:
		side.EndedBy = endedBy(r.pass, side.UntilSeconds, findings)
	}
	return side
}

// endedBy gives the kind of finding that marks the moment at which a stream ended.
func endedBy(pass int, at float64, findings []session.Finding) string {
	for _, f := range findings {
		if len(f.Passes) == 0 || f.Passes[0] != pass || !finding.Of(f).EndsStream {
			continue
		}
		for _, span := range f.Stretches() {
			if at >= span.FromSeconds-1 && at <= span.ToSeconds+1 {
				return f.Kind
			}
		}
	}
	return ""
}
