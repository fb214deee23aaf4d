package engine

import (
	"errors"
	"time"

	"opengauge/core/storage/target"
)

// drain waits for everything outstanding: for ever, or for as long as patience
// lasts once the pass is stopped.
func (w *worker) drain() error {
	err := w.waitOut()
	if errors.Is(err, ErrStuck) {
		w.giveUp()
	}
	w.stall.over(w.now)
	return err
}

// waitOut takes completions until none is missing, or patience is at its end.
func (w *worker) waitOut() error {
	deadline := forever
	for w.outstanding > 0 {
		if deadline == forever && isStopped(w.stopped) {
			deadline = w.target.Now() + patience
		}
		if w.now = w.target.Now(); w.now > deadline {
			return w.stuck()
		}
		// What arrives now is not started any more, so nobody wakes for it.
		if err := w.take(w.meter.nextCut(w.target.Now() + heartbeat)); err != nil && !errors.Is(err, ErrTooManyErrors) {
			return err
		}
	}
	return nil
}

// giveUp lets the operations that never came back count with their age.
func (w *worker) giveUp() {
	now := w.target.Now()
	for slot := range w.underWay {
		if since := w.underWay[slot].since; !w.free.has(slot) {
			w.meter.noteCutOff(since, since, now)
		}
	}
}

// flush makes everything written so far stable and says how long it took. One that
// does not come back is a stall as any operation is.
func (w *worker) flush() (time.Duration, error) {
	if w.outstanding > 0 {
		return 0, nil // stuck; the error is known
	}
	began := w.target.Now()
	w.meter.flushing = true
	w.flushed = nil
	slot := w.free.take()
	w.stall.noteSubmission(slot, ofFlush, began)
	w.now = began
	if err := w.hand([]target.Operation{{Action: target.Flush, Slot: slot}}); err != nil {
		return 0, err
	}
	err := w.waitOut()
	w.meter.flushing = false
	w.stall.over(w.target.Now())
	if err == nil && w.flushed == nil {
		w.written.flush()
	}
	return w.target.Now() - began, errors.Join(err, w.flushed)
}
