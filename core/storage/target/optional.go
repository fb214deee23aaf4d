package target

import (
	"context"
	"time"

	"opengauge/core/unit"
)

// What only some targets can do. Callers ask with a type assertion; each target
// asserts what it implements beside its type.
type (
	// Reopener can be opened anew after its device had vanished.
	Reopener interface{ Reopen() error }

	// Answerer can be asked whether it is still there.
	Answerer interface {
		// Answers says why it is not, or nothing where it answers anything at all.
		Answers() error
	}

	// Sleeper has a clock of its own, on which time can pass with nothing to do.
	Sleeper interface{ Sleep(stretch time.Duration) }

	// Discarder can forget what it holds from an offset on.
	Discarder interface{ Discard(from unit.Bytes) error }

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
	_ Filler   = (*kernelFile)(nil)
)
