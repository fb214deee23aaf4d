package target

import (
	"context"
	"fmt"
	"io"
	"time"

	"opengauge/core/unit"
)

// Abilities of some targets. Callers ask with a type assertion; each target asserts its own beside its type.
type (
	// Reopener can be opened anew after its device had vanished.
	Reopener interface {
		// Reopen goes on with the same device, and with no other. The function ours decides by the data
		// there; it is nil where nothing was written that could be known again. A [*StrangerError] says that
		// another device is there, and ends it; any other error, that the device is not back yet.
		Reopen(ours Recognise) error
	}

	// Answerer can be asked whether it is still there.
	Answerer interface {
		// Answers says why it is not, or nothing where it answers anything at all.
		Answers() error
	}

	// Sleeper has a clock of its own, on which time can pass with nothing to do.
	Sleeper interface{ Sleep(stretch time.Duration) }

	// Discarder can forget its data from an offset on.
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

	// Filler fills its file system with files of its own.
	Filler interface {
		// FillTo fills it to a share of its capacity, with data of the length that is asked for. Progress is
		// called with the share so far.
		FillTo(ctx context.Context, share float64, data func(length int) []byte, progress func(share float64)) error
		// Free removes the files that filled it.
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

// Recognise reads data that a run wrote before. It returns nil where they are there, and a [*StrangerError]
// where other data are.
type Recognise func(from io.ReaderAt) error

// StrangerError says that another device is found in the place of one, or one that cannot be told from
// another, so that nothing is written to it.
type StrangerError struct{ Address, Why string }

func (e *StrangerError) Error() string {
	return fmt.Sprintf("what is at %s now is not used: %s", e.Address, e.Why)
}

// Resembles says why a run does not go on with a device that came back: it has to be written to, and neither
// its identity nor its data tell it from others.
func Resembles(address string, writable, named bool, ours Recognise) error {
	if !writable || named || ours != nil {
		return nil
	}
	return &StrangerError{address, "it has no serial number, and nothing was written to it that could be known again"}
}
