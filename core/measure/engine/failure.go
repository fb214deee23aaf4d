package engine

import (
	"slices"

	"opengauge/core/storage/target"
)

// Failure is one way in which operations failed.
type Failure struct {
	Action target.Action
	// Err is the error of the first of them.
	Err   error
	Count int64
	// FirstOffset is where the first of them was, in bytes, and FromOffset to
	// ToOffset is where all of them were: the least and the greatest of their starts.
	FirstOffset, FromOffset, ToOffset int64
}

// failures are the failures of a pass, by action and by error text.
type failures []Failure

// mostFailures are told apart; later ones are counted with the last.
const mostFailures = 16

// with adds one failed operation.
func (f failures) with(action target.Action, at int64, err error) failures {
	return f.add(Failure{Action: action, Err: err, Count: 1, FirstOffset: at, FromOffset: at, ToOffset: at})
}

// add puts failures of one way to those that there are.
func (f failures) add(more Failure) failures {
	at := slices.IndexFunc(f, func(known Failure) bool {
		return known.Action == more.Action && known.Err.Error() == more.Err.Error()
	})
	if at < 0 && len(f) < mostFailures {
		return append(f, more)
	}
	if at < 0 {
		at = len(f) - 1
	}
	known := &f[at]
	known.Count += more.Count
	known.FromOffset = min(known.FromOffset, more.FromOffset)
	known.ToOffset = max(known.ToOffset, more.ToOffset)
	return f
}
