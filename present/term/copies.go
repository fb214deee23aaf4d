package term

import (
	"fmt"
	"time"

	"opengauge/core/measure/transfer"
)

// Copies tells how far copies are.
type Copies struct {
	screen *Screen
	told   time.Time
	label  string
	shown  bool
}

// NewCopies tells on a screen.
func NewCopies(screen *Screen) *Copies { return &Copies{screen: screen} }

// Tell says how far the copies are.
func (t *Copies) Tell(s transfer.Step) {
	if !t.screen.Interactive {
		if s.Label != t.label {
			t.label = s.Label
			t.screen.Println(t.text(s))
		}
		return
	}
	if time.Since(t.told) > 100*time.Millisecond || s.Label != t.label {
		t.told = time.Now()
		t.label = s.Label
		t.shown = true
		t.screen.Printf(clearLine+"%s %s of %s", t.text(s), s.Bytes.Decimal(), s.Total.Decimal())
	}
}

func (t *Copies) text(s transfer.Step) string {
	if s.Count == 0 {
		return Clean(s.Label)
	}
	return fmt.Sprintf("copy %d/%d: %s", s.Number, s.Count, Clean(s.Label))
}

// Finish ends the line.
func (t *Copies) Finish() {
	if t.shown {
		t.screen.Printf(clearLine)
	}
}
