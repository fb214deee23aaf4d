package byhand

import "time"

// Watch is a stopwatch. The zero value stands at nothing. Its times come from who holds it.
type Watch struct {
	began, ended time.Time
	laps         []float64
}

// Running says whether it was started and not stopped.
func (w *Watch) Running() bool { return !w.began.IsZero() && w.ended.IsZero() }

// Start starts it anew.
func (w *Watch) Start(now time.Time) { *w = Watch{began: now} }

// Lap marks a moment, while it runs.
func (w *Watch) Lap(now time.Time) {
	if w.Running() {
		w.laps = append(w.laps, now.Sub(w.began).Seconds())
	}
}

// Stop stops it, and gives what it shows and its laps, in seconds.
func (w *Watch) Stop(now time.Time) (seconds float64, laps []float64) {
	if w.Running() {
		w.ended = now
	}
	return w.Seconds(now), w.laps
}

// Clear sets it back to nothing.
func (w *Watch) Clear() { *w = Watch{} }

// Laps are the moments that were marked.
func (w *Watch) Laps() []float64 { return w.laps }

// Seconds is what it shows.
func (w *Watch) Seconds(now time.Time) float64 {
	switch {
	case w.began.IsZero():
		return 0
	case w.ended.IsZero():
		return now.Sub(w.began).Seconds()
	}
	return w.ended.Sub(w.began).Seconds()
}
