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

// latest describes the last event, or is empty.
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
	flush := &flushWatch{r: r, on: d.Target, of: of}
	return func(s engine.Stall) {
		switch {
		case s.Offset < 0 && s.Over:
			flush.end(s.At - r.began)
		case s.Offset < 0:
			flush.begin(s.At - r.began)
		case s.Over:
			r.events.add(s.At-r.began, event.Return, "the storage"+of+" answers again")
		default:
			r.events.add(s.At-r.began, event.Stall, fmt.Sprintf("an operation%s at byte %d was under way for more than %s", of,
				s.Offset, r.request.StallAfter))
		}
	}
}

// flushWatch notes flushes that take long. A cache may take minutes to drain: only storage that answers
// nothing else meanwhile, like a small read, has stopped to answer.
type flushWatch struct {
	r     *runner
	on    target.Target
	of    string
	mutex sync.Mutex
	under int           // workers whose flush takes long
	known chan struct{} // closed once it was asked whether it answers
	gone  bool
}

func (f *flushWatch) begin(at time.Duration) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	if f.under++; f.under > 1 {
		return
	}
	known := make(chan struct{})
	f.known = known
	f.alongside(func() {
		defer close(known)
		text := fmt.Sprintf("a flush%s was under way for more than %s", f.of, f.r.request.StallAfter)
		answers, _ := ask(f.on)
		if f.gone = !answers; f.gone {
			f.r.events.add(at, event.Stall, text)
			return
		}
		f.r.events.add(at, event.Flush, text+"; the storage answers meanwhile")
	})
}

// alongside runs a question beside the work, or of simulated storage, which has one clock, within it.
func (f *flushWatch) alongside(question func()) {
	if f.r.session.Simulated {
		question()
		return
	}
	f.r.asking.Go(question)
}

func (f *flushWatch) end(at time.Duration) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	if f.under--; f.under > 0 {
		return
	}
	known := f.known
	f.alongside(func() {
		if <-known; f.gone {
			f.r.events.add(at, event.Return, "the storage"+f.of+" answers again")
			return
		}
		f.r.events.add(at, event.Flush, "the flush"+f.of+" is over")
	})
}

// vanished reports whether an error means that the device is not there any more. Some
// errors say so. Of others, which a device that is there gives too (a sector that cannot
// be read, a disk that is full), the device itself is asked.
func vanished(err error, on target.Target) bool {
	kind := fault.Of(err)
	if kind == fault.Gone || kind == fault.Absent {
		return true
	}
	if !errors.Is(err, engine.ErrTooManyErrors) && kind != fault.Failed {
		return false
	}
	answers, canBeAsked := ask(on)
	return canBeAsked && !answers
}

// ask reports whether storage answers, and whether it can be asked that at all.
func ask(on target.Target) (answers, canBeAsked bool) {
	device, ok := on.(target.Answerer)
	return ok && target.Within(answerWithin, device.Answers) == nil, ok
}

// answerWithin is how long storage has to say that it is there. A server, or a disk behind a bridge, may hold
// whoever asks for ever.
const answerWithin = 10 * time.Second

// overWhichLinks describes the link rates of a device that came back, or is empty where they are not known.
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
