package target

import (
	"fmt"

	"opengauge/core/storage/fault"
)

// Explain adds advice to a failure that storage met while it was measured, where there is some. nil stays
// nil.
func Explain(err error) error {
	if err == nil {
		return nil
	}
	if advice := adviceFor(err); advice != "" {
		return &adviceError{text: fmt.Sprintf("%s (%s)", advice, err), cause: err}
	}
	return err
}

// explain adds to an error the attempt, its path, and advice.
func explain(tried, path string, err error) error {
	if err == nil {
		return nil
	}
	advice := adviceFor(err)
	if advice == "" {
		return fmt.Errorf("could not %s %s: %w", tried, path, err)
	}
	return &adviceError{text: fmt.Sprintf("could not %s %s: %s", tried, path, advice), cause: err}
}

// adviceFor returns the advice for a failure, or "".
func adviceFor(err error) string { return fault.Advice(fault.Of(err)) }

// adviceError has a text made for people and keeps its cause for programs.
type adviceError struct {
	text  string
	cause error
}

func (e *adviceError) Error() string { return e.text }
func (e *adviceError) Unwrap() error { return e.cause }
