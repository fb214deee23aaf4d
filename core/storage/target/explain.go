package target

import (
	"errors"
	"fmt"
	"io/fs"
	"syscall"
)

// Explain adds to a failure that storage met while it was measured what to do
// about it, where that is known. nil stays nil.
func Explain(err error) error {
	if err == nil {
		return nil
	}
	if advice := adviceFor(err); advice != "" {
		return &adviceError{text: fmt.Sprintf("%s (%s)", advice, err), cause: err}
	}
	return err
}

// explain says what was tried on what, why it failed and what to do about it.
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

// adviceFor says what to do about a failure, or nothing.
func adviceFor(err error) string {
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "there is no such folder or file; check the spelling, or create it"
	case errors.Is(err, fs.ErrPermission):
		return "permission is denied; choose a folder you may write to, or run as a user who may"
	case errors.Is(err, syscall.EROFS):
		return "the file system is mounted read-only; mount it for writing, or measure a file on it with --plan " +
			"quick-read"
	case errors.Is(err, syscall.ENOSPC):
		return "no space is left; give a smaller --size or free some space"
	case errors.Is(err, fs.ErrExist):
		return "a file of that name is there already; remove it if no other run is using it"
	}
	return ""
}

// adviceError has a text made for people and keeps its cause for programs.
type adviceError struct {
	text  string
	cause error
}

func (e *adviceError) Error() string { return e.text }
func (e *adviceError) Unwrap() error { return e.cause }
