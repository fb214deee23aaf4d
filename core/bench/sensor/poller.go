package sensor

import (
	"context"
	"fmt"
	"maps"
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

// Poller reads sources, each beside the others, and keeps what they said last.
type Poller struct {
	sources []Source
	mutex   sync.Mutex
	latest  map[string]stamped
}

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
		if err == nil {
			p.keep(source.Name(), reading)
		}
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

func (p *Poller) keep(name string, reading Reading) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	p.latest[name] = stamped{Reading: reading, at: time.Now()}
}

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
