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

// Tell gives what is told how many bytes are done.
func (s *Stretch) Tell(done string) func(unit.Bytes) {
	return func(bytes unit.Bytes) {
		if !s.screen.Interactive || time.Since(s.told) < 100*time.Millisecond {
			return
		}
		s.told, s.shown = time.Now(), true
		s.screen.Printf(clearLine+"%s of %s %s", bytes.Decimal(), s.total.Decimal(), done)
	}
}

// Done takes the line away.
func (s *Stretch) Done() {
	if s.shown {
		s.screen.Printf(clearLine)
	}
}
