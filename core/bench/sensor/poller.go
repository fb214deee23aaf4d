package sensor

import (
	"context"
	"fmt"
	"io"
	"maps"
	"slices"
	"sync"
	"time"

	"opengauge/core/unit"
)

// Source is one thing that can be read. Read may take its time, and is told by
// its context when nobody waits any more.
type Source interface {
	Name() string
	Read(ctx context.Context) (Reading, error)
}

const (
	// Every is how often a source is read.
	Every = time.Second
	// readWithin is how long a source has for one reading.
	readWithin = 5 * time.Second
	// freshFor is how long a reading stands for the present.
	freshFor = 10 * time.Second
)

// Poller reads sources side by side and keeps the latest reading of each.
type Poller struct {
	sources []Source
	mutex   sync.Mutex
	latest  map[string]stamped
	// moments are the instruments' readings since the last Take.
	moments []Moment
}

// mostKept is the most moments kept until they are taken: a day of one reading a second.
const mostKept = 100_000

type stamped struct {
	Reading
	at time.Time
}

// NewPoller makes a set of sources, which are read once it is started.
func NewPoller(sources []Source) *Poller {
	return &Poller{sources: sources, latest: map[string]stamped{}}
}

// Start reads the sources until the returned function is called. A source that
// fails, or works again, is told of once, from another goroutine.
func (p *Poller) Start(tell func(detail string)) (stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	var running sync.WaitGroup
	for _, source := range p.sources {
		running.Go(func() { p.follow(ctx, source, tell) })
	}
	return func() {
		cancel()
		running.Wait()
		for _, source := range p.sources {
			if open, ok := source.(io.Closer); ok {
				_ = open.Close() // it was only read
			}
		}
	}
}

func (p *Poller) follow(ctx context.Context, source Source, tell func(string)) {
	ticks := time.NewTicker(Every)
	defer ticks.Stop()
	for failing := false; ; {
		reading, err := readOnce(ctx, source)
		switch {
		case ctx.Err() != nil:
			return
		case err != nil && !failing:
			tell(fmt.Sprintf("%s cannot be read: %s", source.Name(), err))
		case err == nil && failing:
			tell(source.Name() + " can be read again")
		}
		failing = err != nil
		p.keep(source, reading)
		select {
		case <-ctx.Done():
			return
		case <-ticks.C:
		}
	}
}

func readOnce(ctx context.Context, source Source) (Reading, error) {
	bounded, cancel := context.WithTimeout(ctx, readWithin)
	defer cancel()
	return source.Read(bounded)
}

// keep stores a reading. One of several figures may have failed; the others are valid.
func (p *Poller) keep(source Source, reading Reading) {
	if len(reading.Temperatures)+len(reading.Values) == 0 {
		return
	}
	p.mutex.Lock()
	defer p.mutex.Unlock()
	now := time.Now()
	p.latest[source.Name()] = stamped{Reading: reading, at: now}
	if _, ok := source.(Instrument); !ok || len(reading.Values) == 0 {
		return
	}
	moments := reading.Moments
	if moments == nil {
		moments = []Moment{{At: now, Values: reading.Values}}
	}
	p.moments = append(p.moments, moments[:min(len(moments), mostKept-len(p.moments))]...)
}

// Take returns the instruments' moments since it was last called, in the order of time.
func (p *Poller) Take() []Moment {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	taken := p.moments
	p.moments = nil
	slices.SortStableFunc(taken, func(a, b Moment) int { return a.At.Compare(b.At) })
	return taken
}

// Figures lists the figures of all instruments among the sources.
func (p *Poller) Figures() []Figure {
	var all []Figure
	for _, source := range p.sources {
		if instrument, ok := source.(Instrument); ok {
			all = append(all, instrument.Figures()...)
		}
	}
	return all
}

var (
	_ Starter    = (*Poller)(nil)
	_ Tracker    = (*Poller)(nil)
	_ Instrument = (*Poller)(nil)
)

// Temperatures gives the latest of every source, as far as they are fresh.
func (p *Poller) Temperatures() map[string]unit.Celsius {
	all := map[string]unit.Celsius{}
	p.each(func(r Reading) { maps.Copy(all, r.Temperatures) })
	return all
}

// Readings gives the latest of every source, as far as they are fresh.
func (p *Poller) Readings() map[string]float64 {
	all := map[string]float64{}
	p.each(func(r Reading) { maps.Copy(all, r.Values) })
	return all
}

func (p *Poller) each(take func(Reading)) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	for _, latest := range p.latest {
		if time.Since(latest.at) <= freshFor {
			take(latest.Reading)
		}
	}
}
