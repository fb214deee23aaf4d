package run

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"opengauge/core/bench/event"
	"opengauge/core/measure/engine"
	"opengauge/core/record/session"
	"opengauge/core/storage/fault"
	"opengauge/core/storage/target"
)

// Times that are waited where nobody says otherwise.
const (
	StallAfter   = 10 * time.Second
	ReturnWithin = 30 * time.Second

	// lookAgain is how often a device that vanished is looked for.
	lookAgain = 250 * time.Millisecond
)

// eventLog collects events of a session. Workers tell it of stalls at the same
// time.
type eventLog struct {
	mutex  sync.Mutex
	events []session.Event
}

func (l *eventLog) add(at time.Duration, kind, detail string) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.events = append(l.events, session.Event{TSeconds: at.Seconds(), Kind: kind, Detail: detail})
}

// inOneLine writes joined errors in one line, each once.
func inOneLine(err error) string {
	var once []string
	for _, text := range strings.Split(err.Error(), "\n") {
		if !slices.Contains(once, text) {
			once = append(once, text)
		}
	}
	return strings.Join(once, "; ")
}

// latest is what happened last, or empty.
func (l *eventLog) latest() string {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if len(l.events) == 0 {
		return ""
	}
	last := l.events[len(l.events)-1]
	return fmt.Sprintf("%s after %.0f s: %s", last.Kind, last.TSeconds, last.Detail)
}

// stallOf notes that a target does not answer, or that it does again.
func (r *runner) stallOf(d *desk) func(engine.Stall) {
	of := ""
	if d.address != r.main.address {
		of = " of " + d.address
	}
	return func(s engine.Stall) {
		if s.Over {
			r.events.add(s.At-r.began, event.Return, "the storage"+of+" answers again")
			return
		}
		what := fmt.Sprintf("an operation%s at byte %d", of, s.Offset)
		if s.Offset < 0 {
			what = "a flush" + of
		}
		r.events.add(s.At-r.began, event.Stall, fmt.Sprintf("%s was under way for more than %s", what, r.request.StallAfter))
	}
}

// vanished reports whether an error means that the device is not there any more. Some
// errors say so. Of others, which a device that is there gives too (a sector that cannot
// be read, a disk that is full), the device itself is asked.
func vanished(err error, on target.Target) bool {
	kind := fault.Of(err)
	if kind == fault.Gone || kind == fault.Absent {
		return true
	}
	device, ok := on.(target.Answerer)
	if !ok || !errors.Is(err, engine.ErrTooManyErrors) && kind != fault.Failed {
		return false
	}
	return target.Within(answerWithin, device.Answers) != nil
}

// answerWithin is how long storage has to say that it is there. What a server keeps, or a
// disk behind a bridge, may hold whoever asks for ever.
const answerWithin = 10 * time.Second

// overWhichLinks says at what rates a device came back, or nothing where that is
// not known.
func (r *runner) overWhichLinks() string {
	reading := r.readLinks()
	if reading == nil {
		return ""
	}
	text := ""
	for _, name := range slices.Sorted(maps.Keys(reading.States)) {
		text += ", " + name + " at " + reading.States[name]
	}
	return text
}

// reopened opens storage that vanished anew, within that long; on a clock of its own, which
// stands still meanwhile, at once.
func (r *runner) reopened(device target.Reopener, left time.Duration) error {
	ours := r.main.ours(r.request.compressible())
	if r.session.Simulated {
		return device.Reopen(ours)
	}
	return target.Within(max(left, answerWithin), func() error { return device.Reopen(ours) })
}

// outlast notes that the device vanished and waits for it. It gives nothing if
// the device came back, and the failure itself if it did not.
func (r *runner) outlast(ctx context.Context, failure error) error {
	device, ok := r.main.Target.(target.Reopener)
	if !ok || !vanished(failure, r.main.Target) {
		return failure
	}
	lost := r.main.Now()
	r.events.add(lost-r.began, event.Dropout, inOneLine(failure))
	r.progress.waiting()
	for r.main.Now()-lost < r.request.ReturnWithin {
		if r.pause(ctx, lookAgain); ctx.Err() != nil {
			return failure
		}
		err := r.reopened(device, r.request.ReturnWithin-(r.main.Now()-lost))
		if errors.Is(err, target.ErrHeld) { // nobody knows when it comes back, and in which state
			return errors.Join(failure, err)
		}
		if err == nil {
			r.events.add(r.main.Now()-r.began, event.Return, "the device is back"+r.overWhichLinks())
			return nil
		}
		if stranger := new(target.StrangerError); errors.As(err, &stranger) {
			r.events.add(r.main.Now()-r.began, event.Stranger, inOneLine(err))
			return errors.Join(failure, err)
		}
	}
	return failure
}
