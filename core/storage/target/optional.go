package target

import (
	"context"
	"fmt"
	"io"
	"time"

	"opengauge/core/unit"
)

// What only some targets can do. Callers ask with a type assertion; each target
// asserts what it implements beside its type.
type (
	// Reopener can be opened anew after its device had vanished.
	Reopener interface {
		// Reopen goes on with the same device, and with no other. What ours says of what
		// is there decides; it is nil where nothing was written that could be known
		// again. A [*StrangerError] says that another device is there, and ends it;
		// any other error, that the device is not back yet.
		Reopen(ours Recognise) error
	}

	// Answerer can be asked whether it is still there.
	Answerer interface {
		// Answers says why it is not, or nothing where it answers anything at all.
		Answers() error
	}

	// Sleeper has a clock of its own, on which time can pass with nothing to do.
	Sleeper interface{ Sleep(stretch time.Duration) }

	// Discarder can forget what it holds from an offset on.
	Discarder interface{ Discard(from unit.Bytes) error }

	// Freer gives space back as it is closed.
	Freer interface {
		// Freeing is how much is not given back yet, once that has begun. It may be asked
		// by another goroutine.
		Freeing() unit.Bytes
	}

	// Roomy may run out of the space around it.
	Roomy interface {
		// Room says why nothing more should be written, or nothing.
		Room() error
	}

	// Filler fills what it is on with files of its own.
	Filler interface {
		// FillTo brings it to a share of what it holds, with data of a length that
		// is asked for. Progress is told of the share that is reached.
		FillTo(ctx context.Context, share float64, data func(length int) []byte, progress func(share float64)) error
		// Free takes away what filled it.
		Free() error
	}
)

var (
	_ Reopener = (*kernelFile)(nil)
	_ Answerer = (*kernelFile)(nil)
	_ Roomy    = (*kernelFile)(nil)
	_ Freer    = (*kernelFile)(nil)
	_ Filler   = (*kernelFile)(nil)
)

// Recognise reads what a run wrote before, and says why it is not there: nil where it is,
// a [*StrangerError] where something else is.
type Recognise func(from io.ReaderAt) error

// StrangerError says that what is found where a device was is not that device, or cannot
// be told to be it, so that nothing is written to it.
type StrangerError struct{ Address, Why string }

func (e *StrangerError) Error() string {
	return fmt.Sprintf("what is at %s now is not used: %s", e.Address, e.Why)
}

// Resembles says why a device that came back is not gone on with: it has to be written
// to, and neither what it says of itself nor what it holds tells it from others.
func Resembles(address string, writable, named bool, ours Recognise) error {
	if !writable || named || ours != nil {
		return nil
	}
	return &StrangerError{address, "it has no serial number, and nothing was written to it that could be known again"}
}
