package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"opengauge/present/term"
)

// The time that an interrupted command has for cleaning up before it names the cause of its
// waiting, and the time between two such messages.
const (
	cleanWithin = 1600 * time.Millisecond
	sayEvery    = 2 * time.Second
)

// caughtSignals are those that end a command. One that whoever started the program has
// set to be ignored stays ignored; a pipe that nobody reads any more is an error of
// writing, and no end.
func caughtSignals() <-chan os.Signal {
	caught := make(chan os.Signal, 4)
	for _, each := range []os.Signal{os.Interrupt, syscall.SIGTERM, syscall.SIGHUP} {
		if each != syscall.SIGHUP || !signal.Ignored(each) {
			signal.Notify(caught, each)
		}
	}
	signal.Notify(make(chan os.Signal, 1), syscall.SIGPIPE)
	return caught
}

// duties lists the cleaning up that a command has to finish before it ends.
type duties struct {
	mutex sync.Mutex
	left  []func() string
}

// add enters a duty, by a function that describes its remaining work, or returns "".
func (d *duties) add(left func() string) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	d.left = append(d.left, left)
}

// pending describes the remaining work of all duties, or returns "".
func (d *duties) pending() string {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	var texts []string
	for _, left := range d.left {
		if text := left(); text != "" && !slices.Contains(texts, text) {
			texts = append(texts, text)
		}
	}
	return strings.Join(texts, "; ")
}

// endAfterSignal waits for an interrupted command and returns the exit code. It waits long only
// for duties and for a thread that the kernel does not give back, and says so.
func (e *environment) endAfterSignal(ended <-chan error, signals <-chan os.Signal) int {
	wait := time.NewTimer(cleanWithin)
	for {
		select {
		case err := <-ended:
			return exitCode(asInterrupted(err), e.stderr)
		case <-signals:
			fmt.Fprintln(e.stderr, "opengauge: ended at once; what it made may be left behind")
			return exitInterrupted
		case <-wait.C:
		}
		reason := e.duties.pending()
		if reason == "" {
			reason = heldByKernel()
		}
		if reason == "" {
			fmt.Fprintln(e.stderr, "opengauge: interrupted; what it made may be left behind")
			return exitInterrupted
		}
		fmt.Fprintf(e.stderr, "opengauge: still waiting: %s (a second signal ends it at once)\n", term.Clean(reason))
		wait.Reset(sayEvery)
	}
}

// nothingDone is the error of a command that has nothing to show, by why it ended.
func nothingDone(ctx context.Context, err error) error {
	if err == nil || ctx.Err() != nil && errors.Is(err, ctx.Err()) {
		return errStoppedEarly
	}
	return err
}

// interrupted is the error of a command that a signal ended.
func asInterrupted(err error) error {
	switch {
	case err == nil, errors.Is(err, errFound):
		return fmt.Errorf("%w as it ended; all was done", errStopped)
	case errors.Is(err, errInterrupted), errors.Is(err, errStoppedEarly), errors.Is(err, errStopped):
		return err
	case errors.Is(err, context.Canceled):
		return errStopped
	}
	return errors.Join(errStopped, err)
}
