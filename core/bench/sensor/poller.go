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
	// freshIntervals is how many of a source's own intervals a reading is current for, and freshAtLeast the
	// time for which it is in any case.
	freshIntervals = 2
	freshAtLeast   = 2 * time.Second
	// grace is how long [Poller.Drain] waits for a source to speak.
	grace = 1500 * time.Millisecond
)

// Poller reads sources side by side and queues the readings of each with their times.
type Poller struct {
	sources []Source
	mutex   sync.Mutex
	queues  map[string]*queue
	follow  func(at time.Time, reading Reading) // or nil
}

// queue holds the readings of one source.
type queue struct {
	instrument bool
	latest     Reading
	at         time.Time
	// usual is the time between two readings, a moving mean of the last ones.
	usual time.Duration
	// failing sources are not waited for.
	failing bool
	// moments are an instrument's readings since they were last taken.
	moments []Moment
}

// mostKept is the most moments of a source kept until they are taken: a day of one reading a second.
const mostKept = 100_000

// caster is a source that gives readings as they come, beside those that are asked for.
type caster interface {
	cast(to func(at time.Time, reading Reading))
}

// NewPoller makes a set of sources, which are read once it is started.
func NewPoller(sources []Source) *Poller {
	p := &Poller{sources: sources, queues: map[string]*queue{}}
	for _, source := range sources {
		_, instrument := source.(Instrument)
		q := &queue{instrument: instrument, usual: Every}
		p.queues[source.Name()] = q
		if live, ok := source.(caster); ok {
			live.cast(func(at time.Time, reading Reading) { p.put(q, at, reading) })
		}
	}
	return p
}

// Follow gives each reading with its time to a function, on the goroutines that read, before it is started.
func (p *Poller) Follow(each func(at time.Time, reading Reading)) { p.follow = each }

// Start reads the sources until the returned function is called. A source that
// fails, or works again, is told of once, from another goroutine.
func (p *Poller) Start(tell func(detail string)) (stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	var running sync.WaitGroup
	for _, source := range p.sources {
		running.Go(func() { p.read(ctx, source, tell) })
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

func (p *Poller) read(ctx context.Context, source Source, tell func(string)) {
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
		p.note(source, reading, failing)
		select {
		case <-ctx.Done():
			return
		case <-ticks.C:
		}
	}
}

// note queues a reading that was asked for, and remembers whether the source fails.
func (p *Poller) note(source Source, reading Reading, failing bool) {
	q := p.queues[source.Name()]
	if _, live := source.(caster); !live {
		p.put(q, time.Now(), reading)
	}
	p.mutex.Lock()
	defer p.mutex.Unlock()
	q.failing = failing
}

func readOnce(ctx context.Context, source Source) (Reading, error) {
	bounded, cancel := context.WithTimeout(ctx, readWithin)
	defer cancel()
	return source.Read(bounded)
}

// put queues a reading. One of several figures may have failed; the others are valid.
func (p *Poller) put(q *queue, at time.Time, reading Reading) {
	if len(reading.Temperatures)+len(reading.Values) == 0 {
		return
	}
	if p.follow != nil {
		p.follow(at, reading)
	}
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if !q.at.IsZero() {
		const weight = 4
		q.usual += (min(at.Sub(q.at), readWithin) - q.usual) / weight
	}
	q.latest = reading
	q.at = at
	if q.instrument && len(reading.Values) > 0 && len(q.moments) < mostKept {
		q.moments = append(q.moments, Moment{At: at, Values: reading.Values})
	}
}

// Drain returns the moments of the instruments since they were last taken, in the order of time. Before that
// it gives each that still speaks a short grace to say something since a time, so that the last seconds
// before it are covered.
func (p *Poller) Drain(since time.Time) []Moment {
	for began := time.Now(); p.isOwed(since) && time.Since(began) < grace; {
		time.Sleep(grace / 100)
	}
	p.mutex.Lock()
	defer p.mutex.Unlock()
	var taken []Moment
	for _, q := range p.queues {
		taken = append(taken, q.moments...)
		q.moments = nil
	}
	slices.SortStableFunc(taken, func(a, b Moment) int { return a.At.Compare(b.At) })
	return taken
}

// isOwed reports whether an instrument that speaks has said nothing since a time.
func (p *Poller) isOwed(since time.Time) bool {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	for _, q := range p.queues {
		if q.instrument && q.isFresh(since) && q.at.Before(since) && !q.failing {
			return true
		}
	}
	return false
}

// isFresh reports whether the latest reading is current at a time, by the source's own pace.
func (q *queue) isFresh(at time.Time) bool {
	return !q.at.IsZero() && at.Sub(q.at) <= max(freshIntervals*q.usual, freshAtLeast)
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
	now := time.Now()
	for _, q := range p.queues {
		if q.isFresh(now) {
			take(q.latest)
		}
	}
}
