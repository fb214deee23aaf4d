package transfer

import (
	"time"

	"opengauge/core/unit"
)

// GuessedRate is how fast copies are taken to be before one is measured.
const GuessedRate = unit.BytesPerSecond(500e6)

// Estimate is the expected work of a request, verifying aside.
type Estimate struct {
	// Moved is the bytes copied in all, and Made the bytes of file sets that are made first.
	Moved, Made unit.Bytes
	// Elapsed is at the guessed rate, reading and writing one after the other.
	Elapsed time.Duration
}

// Estimate adds up the work of the request. Simulated ends keep no data, and a set of one's own is there
// already, so that nothing is made for them.
func (r Request) Estimate() Estimate {
	var e Estimate
	sources := map[int]bool{}
	for _, pair := range r.Pairs {
		sources[pair[0]] = true
	}
	for _, set := range r.Sets {
		e.Moved += set.Bytes() * unit.Bytes(len(r.Pairs)*r.Repeat)
		if r.Own == "" && r.Ends[0].Simulated == nil {
			e.Made += set.Bytes() * unit.Bytes(len(sources))
		}
	}
	e.Elapsed = max(unit.Duration(float64(2*e.Moved+e.Made)/float64(GuessedRate)), time.Second)
	switch {
	case r.Rest == AsLongAsBefore:
		e.Elapsed *= 2
	default:
		e.Elapsed += time.Duration(max(len(r.jobs())-1, 0)) * r.Rest
	}
	return e
}
