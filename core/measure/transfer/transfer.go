// Package transfer copies file sets from one end to another and times it, from the
// first read to the last byte on stable media, and does the work of each end alone,
// so that the copy can be held against both.
//
// A copy belongs to the goroutine that runs it, and moves blocks and files on several
// of its own.
package transfer

import (
	"context"
	"errors"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Work is a kind of work with a set.
type Work string

// The kinds of work. Reading and writing alone do the part of a copy at that end, and nothing at the other.
const (
	Copying Work = session.CopyWhole
	Reading Work = session.CopySource
	Writing Work = session.CopyDestination
)

// Options say how work is done.
type Options struct {
	// Parallel is how many files are under way at once.
	Parallel int
	// Verify reads the copy back and compares it.
	Verify bool
	// Sample is the length of a sample.
	Sample time.Duration
	// Temperatures gives those at both ends now, or is nil.
	Temperatures func() map[string]unit.Celsius
	// Progress is told how far it is; it may be nil.
	Progress func(Progress)
}

// Progress is how far a piece of work is.
type Progress struct {
	Bytes, Total unit.Bytes
	Files        int
	Elapsed      time.Duration
}

// Mover does work with sets between two ends.
type Mover interface {
	// Do does a piece of work with a set. Everything measured until an error is in the copy.
	Do(ctx context.Context, work Work, set fileset.Set, options Options) (session.Copy, error)
	// Now is the time on the ends' clock.
	Now() time.Duration
}

// ErrChanged says that a file of the source changed while it was read.
var ErrChanged = errors.New("it changed while it was read")

// meter counts moved data and cuts them into samples. Its methods that count may be called from several
// goroutines.
type meter struct {
	made    session.Copy
	options Options
	total   unit.Bytes
	last    struct {
		at    time.Duration
		bytes unit.Bytes
		files int
	}
}

// sample ends a sample at a time since the work began, at which so much was done.
func (m *meter) sample(at time.Duration, bytes unit.Bytes, count int) {
	length := at - m.last.at
	if length <= 0 {
		return
	}
	made := session.CopySample{
		TSeconds: at.Seconds(), ElapsedSeconds: length.Seconds(), Bytes: bytes - m.last.bytes,
		Files:               count - m.last.files,
		BytesPerSecond:      unit.BytesPerSecond(float64(bytes-m.last.bytes) / length.Seconds()),
		TemperaturesCelsius: map[string]unit.Celsius{},
	}
	if m.options.Temperatures != nil {
		for name, value := range m.options.Temperatures() {
			made.TemperaturesCelsius[name] = value
		}
	}
	m.made.Samples = append(m.made.Samples, made)
	m.last.at = at
	m.last.bytes = bytes
	m.last.files = count
	if m.options.Progress != nil {
		m.options.Progress(Progress{Bytes: bytes, Total: m.total, Files: count, Elapsed: at})
	}
}

// finish puts the figures of the whole together.
func (m *meter) finish(elapsed, flush time.Duration, bytes unit.Bytes, fileTimes []time.Duration) session.Copy {
	m.sample(elapsed, bytes, len(fileTimes))
	m.made.ElapsedSeconds = elapsed.Seconds()
	m.made.FlushSeconds = flush.Seconds()
	m.made.Bytes = bytes
	m.made.Files = len(fileTimes)
	if elapsed > 0 {
		m.made.BytesPerSecond = unit.BytesPerSecond(float64(bytes) / elapsed.Seconds())
		m.made.FilesPerSecond = float64(len(fileTimes)) / elapsed.Seconds()
	}
	m.made.FileSeconds = session.LatencyOf(fileTimes)
	return m.made
}

// newMeter begins a piece of work.
func newMeter(work Work, set fileset.Set, options Options) *meter {
	spread := set.Spread()
	return &meter{options: options, total: spread.Bytes, made: session.Copy{
		Work: string(work), Set: set.Name, Seed: set.Seed, Spread: spread, Parallel: options.Parallel,
		Samples: []session.CopySample{},
	}}
}
