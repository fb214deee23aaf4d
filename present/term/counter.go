package term

import (
	"time"

	"opengauge/core/unit"
)

// clearLine goes back to the start of the line and clears it (ECMA-48, EL).
const clearLine = "\r\x1b[K"

// Counter tells on a terminal how far a long piece of work is, in one line that is
// written over. Elsewhere it is silent.
type Counter struct {
	screen *Screen
	verb   string
	total  int
	told   time.Time
	shown  bool
}

// NewCounter counts to a total, or without end where it is 0.
func NewCounter(screen *Screen, verb string, total int) *Counter {
	return &Counter{screen: screen, verb: verb, total: total, told: time.Now()}
}

// Tell says how many are done.
func (c *Counter) Tell(done int) {
	const between = 100 * time.Millisecond
	if !c.screen.Interactive || time.Since(c.told) < between {
		return
	}
	c.told = time.Now()
	c.shown = true
	if c.total > 0 {
		c.screen.Printf("\r%s %d of %d sessions ", c.verb, done, c.total)
		return
	}
	c.screen.Printf("\r%s %s ", c.verb, unit.Count(done, "session"))
}

// Finish ends the line.
func (c *Counter) Finish() {
	if c.shown {
		c.screen.Printf(clearLine)
	}
}
