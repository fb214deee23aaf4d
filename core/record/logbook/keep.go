package logbook

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"opengauge/core/bench/host"
	"opengauge/core/record/session"
	"opengauge/core/record/spool"
)

// Times that a measurement waits for a busy logbook: beside a pass, and at its end.
const (
	briefly  = 300 * time.Millisecond
	finally  = 10 * time.Second
	takingIn = 2 * time.Second
)

// Keeper keeps one session while it is measured. Everything is on stable media in a spool
// before it goes to the logbook, so that a logbook that is busy, or away, costs a
// measurement nothing. It belongs to one goroutine.
type Keeper struct {
	place   string
	book    *Logbook // nil where it could not be opened
	spool   *spool.File
	lost    error // why the spool could not be written
	id      string
	passes  int
	moved   bool // the spool is elsewhere
	pending []spool.Record
	failed  error // why the logbook did not take what is pending
	finally time.Duration
}

// Keep gives a keeper for a session in the logbook at a place. The logbook may be nil: then it
// is tried again at the end.
func Keep(place string, book *Logbook) *Keeper {
	return &Keeper{place: place, book: book, finally: finally}
}

// Begin keeps a session that starts now.
func (k *Keeper) Begin(s *session.Session) error {
	if Shared(k.place) {
		s.RecordedBy = &session.Recorder{Bench: host.BenchName()}
	}
	record, err := beginRecord(s)
	if err != nil {
		return err
	}
	k.id = s.ID
	if Shared(k.place) {
		k.lost = os.MkdirAll(filepath.Dir(waitsAt(k.place)), 0o700)
	}
	if k.lost == nil {
		k.spool, k.lost = spool.Create(waitsAt(k.place), s.ID)
	}
	return k.add(record)
}

// moveOn begins another spool elsewhere, with all that the logbook does not have yet.
func (k *Keeper) moveOn() {
	other, err := spool.Create(elsewhere(k.place), k.id)
	if err != nil {
		k.lost = errors.Join(k.lost, err)
		return
	}
	for _, record := range k.pending {
		if err := other.Append(record); err != nil {
			k.lost = errors.Join(k.lost, err, other.Remove())
			return
		}
	}
	if k.spool != nil {
		_ = k.spool.Remove()
	}
	k.spool, k.lost, k.moved = other, nil, true
}

// AddPass keeps the next pass.
func (k *Keeper) AddPass(_ string, pass session.Pass) error {
	record, err := spool.New(spool.Pass, k.passes, pass)
	if err != nil {
		return err
	}
	k.passes++
	return k.add(record)
}

// Finish keeps how the session ended, or how far it is, in the place of an earlier statement.
func (k *Keeper) Finish(s *session.Session) error {
	record, err := finishRecord(s)
	if err != nil {
		return err
	}
	k.pending = slices.DeleteFunc(k.pending, func(r spool.Record) bool { return r.Kind == spool.Finish })
	return k.add(record)
}

// Discard forgets a session that measured nothing.
func (k *Keeper) Discard(string) error {
	record, err := spool.New(spool.Discard, 0, nil)
	if err != nil {
		return err
	}
	return k.add(record)
}

// add puts a record into the spool and tries to store everything pending. It is no error if the logbook does
// not take it now.
func (k *Keeper) add(record spool.Record) error {
	if k.spool != nil && k.lost == nil {
		k.lost = k.spool.Append(record)
	}
	k.pending = append(k.pending, record)
	k.store(briefly)
	if k.lost != nil && len(k.pending) > 0 && !k.moved {
		k.moveOn()
	}
	return nil
}

func (k *Keeper) store(within time.Duration) {
	if k.book == nil || len(k.pending) == 0 {
		return
	}
	// A server that does not answer is not waited for either.
	ctx, cancel := context.WithTimeout(context.Background(), within+lockWait)
	defer cancel()
	if k.failed = k.book.Under(ctx).waiting(within).Store(k.id, k.pending...); k.failed == nil {
		k.pending = k.pending[:0]
	}
}

// Close stores everything pending, or leaves it in the spool and says so. It fails if neither has it.
func (k *Keeper) Close() (waits string, err error) {
	if k.id == "" {
		return "", nil
	}
	if k.book == nil {
		if book, err := Create(context.Background(), k.place); err == nil {
			k.book = book
			defer book.Close()
		} else {
			k.failed = err
		}
	}
	k.store(k.finally)
	switch {
	case len(k.pending) == 0 && k.spool != nil:
		return "", k.spool.Remove()
	case len(k.pending) == 0:
		return "", nil
	case k.spool == nil || k.lost != nil:
		err := fmt.Errorf("session %s could not be kept: %w", k.id, errors.Join(k.failed, k.lost))
		if k.spool != nil {
			err = errors.Join(err, k.spool.Close())
		}
		return "", err
	}
	return fmt.Sprintf("the logbook did not take session %s (%v); it waits in %s, and the next command that opens the "+
		"logbook takes it in", k.id, k.failed, k.spool.Path()), k.spool.Close()
}

// Waiting are the sessions that wait for the logbook at a place: of programs that are dead, and of
// those that measure now.
func Waiting(place string) ([]string, error) {
	beside, err := spool.Sessions(waitsAt(place))
	if err != nil {
		return nil, err
	}
	other, err := spool.Sessions(elsewhere(place))
	return append(beside, other...), err
}

// TakeIn stores the sessions that dead programs left beside the logbook, and names each. A busy logbook
// leaves the rest for the next time.
func (l *Logbook) TakeIn(tell func(id string)) error {
	if l.database.fixed != nil {
		return nil
	}
	patient := l.waiting(takingIn)
	store := func(waiting spool.Waiting) error {
		if err := patient.Store(waiting.Session, waiting.Records...); err != nil {
			return fmt.Errorf("what waits in %s is not in the logbook yet: %w", waiting.Path, err)
		}
		tell(waiting.Session)
		return nil
	}
	return errors.Join(spool.TakeIn(waitsAt(l.place), store), spool.TakeIn(elsewhere(l.place), store))
}
