package term

import (
	"time"

	"opengauge/core/unit"
)

// Stretch shows how far a piece of work with so many bytes is, on one line.
type Stretch struct {
	screen *Screen
	total  unit.Bytes
	told   time.Time
	shown  bool
}

// NewStretch shows progress on a screen.
func NewStretch(screen *Screen, total unit.Bytes) *Stretch {
	return &Stretch{screen: screen, total: total}
}

// Tell returns a function that is called with the number of bytes done.
func (s *Stretch) Tell(done string) func(unit.Bytes) {
	return func(bytes unit.Bytes) {
		if !s.screen.Interactive || time.Since(s.told) < 100*time.Millisecond {
			return
		}
		s.told = time.Now()
		s.shown = true
		s.screen.Printf(clearLine+"%s of %s %s", bytes.Decimal(), s.total.Decimal(), done)
	}
}

// Finish takes the line away.
func (s *Stretch) Finish() {
	if s.shown {
		s.screen.Printf(clearLine)
	}
}
