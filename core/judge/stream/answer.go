package stream

import (
	"cmp"
	"errors"
	"fmt"

	"opengauge/core/judge/finding"
	"opengauge/core/load"
	"opengauge/core/record/session"
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
}

// Ends says what ended the streams, in either direction.
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
	label  string
	pass   *session.Pass // or nil
	series []Stretch
}

func (r recording) seconds() float64 {
	sum := 0.0
	for _, each := range r.series {
		sum += each.Seconds
	}
	return sum
}

// fewestSamples make a recording.
const fewestSamples = 2

// Answers says of each stream whether a session's storage carries it. It follows the
// longest sequential recording of each direction; findings say what ended them.
func Answers(s *session.Session, findings []session.Finding, streams []Stream) ([]Answer, error) {
	reads, writes := recordingOf(s, load.Read), recordingOf(s, load.Write)
	if len(reads.series) < fewestSamples && len(writes.series) < fewestSamples {
		return nil, errors.New("the session has no sequential pass or copy of two samples or more; measure with " +
			"--plan warm-up, or long-write")
	}
	answers := make([]Answer, len(streams))
	for i, each := range streams {
		answers[i] = Answer{Stream: each, Reading: sideOf(reads, each, findings),
			Writing: sideOf(writes, each, findings)}
	}
	return answers, nil
}

func recordingOf(s *session.Session, operation load.Operation) recording {
	var longest recording
	for i := range s.Passes {
		p := &s.Passes[i]
		if p.Operation != operation || p.Access != load.Sequential || p.Rate > 0 {
			continue
		}
		made := recording{label: p.Label(), pass: p}
		for _, sample := range p.Samples {
			made.series = append(made.series, Stretch{sample.ElapsedSeconds, sample.BytesPerSecond})
		}
		if made.seconds() > longest.seconds() {
			longest = made
		}
	}
	work := map[load.Operation]string{load.Read: session.CopySource, load.Write: session.CopyDestination}[operation]
	for i := range s.Copies {
		c := &s.Copies[i]
		if c.Work != work {
			continue
		}
		made := recording{label: fmt.Sprintf("%s, %s", c.Set, c.Work)}
		for _, sample := range c.Samples {
			made.series = append(made.series, Stretch{sample.ElapsedSeconds, sample.BytesPerSecond})
		}
		if made.seconds() > longest.seconds() {
			longest = made
		}
	}
	return longest
}

// TooSlow ends a stream that the storage was never fast enough for, which is for
// wholeSeries of the time.
const (
	TooSlow     = "too slow"
	wholeSeries = 0.98
)

func sideOf(r recording, s Stream, findings []session.Finding) *Side {
	if len(r.series) < fewestSamples {
		return nil
	}
	side := &Side{Outcome: Carry(r.series, s, s.AtOnce), Most: Most(r.series, s), From: r.label, Seconds: r.seconds()}
	switch {
	case side.Carried:
	case side.LongestStallSeconds >= wholeSeries*side.Seconds:
		side.EndedBy = TooSlow
	case r.pass != nil:
		side.EndedBy = endedBy(r.pass, side.UntilSeconds, findings)
	}
	return side
}

// endedBy gives the kind of finding that marks the moment at which a stream ended.
func endedBy(pass *session.Pass, at float64, findings []session.Finding) string {
	for _, f := range findings {
		if len(f.Passes) == 0 || f.Passes[0] != pass.Index || !finding.Of(f).EndsStream {
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
