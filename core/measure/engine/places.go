package engine

import (
	"math"
	"math/rand/v2"
	"slices"
	"sync"
)

// Place is a stretch that was written, in bytes.
type Place struct {
	Offset, Length int64
	// Flushed says that a flush was complete after it, so that a device that loses its
	// power still has it.
	Flushed bool
}

// mostPlaces are remembered of all that was written.
const mostPlaces = 256

// Written remembers some places of all that were written to a target, each write as likely
// as any other. It may be used by several goroutines at once.
type Written struct {
	mutex  sync.Mutex
	writes int64
	places []Place
}

// Places are those that are remembered, flushed ones first.
func (w *Written) Places() []Place {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	places := slices.Clone(w.places)
	slices.SortStableFunc(places, func(a, b Place) int {
		switch {
		case a.Flushed == b.Flushed:
			return 0
		case a.Flushed:
			return -1
		}
		return 1
	})
	return places
}

// Forget forgets all: the written data is not there any more.
func (w *Written) Forget() {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	w.writes = 0
	w.places = nil
}

// take takes over the places of a worker: each place of either is kept with the share that its side has of
// all writes.
func (w *Written) take(s *sampled) {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	rand.Shuffle(len(w.places), func(i, j int) { w.places[i], w.places[j] = w.places[j], w.places[i] })
	more := slices.Clone(s.places)
	rand.Shuffle(len(more), func(i, j int) { more[i], more[j] = more[j], more[i] })
	share := float64(s.writes) / float64(max(w.writes+s.writes, 1))
	var kept []Place
	for len(kept) < mostPlaces && len(w.places)+len(more) > 0 {
		if from := &w.places; len(more) == 0 || len(*from) > 0 && rand.Float64() >= share {
			kept = append(kept, (*from)[0])
			*from = (*from)[1:]
			continue
		}
		kept = append(kept, more[0])
		more = more[1:]
	}
	w.writes = w.writes + s.writes
	w.places = kept
}

// sampled is a worker's memory of its writes.
type sampled struct {
	places []Place
	writes int64
	next   int64 // the number of the write that is remembered next
	weight float64
}

// note takes a write that is complete (algorithm L: Li, "Reservoir-sampling algorithms of
// time complexity O(n(1+log(N/n)))", ACM TOMS 20, 1994): most writes cost a comparison.
func (s *sampled) note(offset, length int64, durable bool) {
	s.writes++
	if s.writes < s.next {
		return
	}
	place := Place{Offset: offset, Length: length, Flushed: durable}
	if len(s.places) < mostPlaces {
		s.places = append(s.places, place)
		s.weight = 1
	} else {
		s.places[rand.IntN(mostPlaces)] = place
	}
	if s.next = s.writes + 1; len(s.places) == mostPlaces {
		s.weight *= math.Exp(math.Log(rand.Float64()) / mostPlaces)
		s.next += int64(math.Log(rand.Float64()) / math.Log1p(-s.weight))
	}
}

// flush notes that all of it is stable.
func (s *sampled) flush() {
	for i := range s.places {
		s.places[i].Flushed = true
	}
}
