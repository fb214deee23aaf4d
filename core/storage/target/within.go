package target

import (
	"errors"
	"time"
)

// ErrHeld says that whoever asked storage for something is held.
var ErrHeld = errors.New("it does not answer, and holds whoever asks")

// Within runs a function that storage may hold for ever, and gives up on it after a while with [ErrHeld]: its
// result is of no use any more then.
func Within(stretch time.Duration, do func() error) error {
	done := make(chan error, 1)
	go func() { done <- do() }()
	select {
	case err := <-done:
		return err
	case <-time.After(stretch):
		return ErrHeld
	}
}
