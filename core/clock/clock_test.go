package clock

import (
	"testing"
	"time"
)

func TestAClockKeepsTime(t *testing.T) {
	before := time.Now()
	c := Start()
	after := time.Now()
	last := c.Now()
	for range 1000 {
		now := c.Now()
		if now < last {
			t.Fatalf("the clock went back from %s to %s", last, now)
		}
		last = now
	}
	time.Sleep(50 * time.Millisecond)
	// It was started between two looks at the system's clock, and is read between two others.
	least := time.Since(after) - Step()
	now := c.Now()
	if most := time.Since(before) + Step(); now < least || now > most {
		t.Errorf("the clock says %s, and between %s and %s have passed", now, least, most)
	}
}

func TestStep(t *testing.T) {
	if step := Step(); step <= 0 || step > time.Millisecond {
		t.Errorf("the clock moves in steps of %s", step)
	}
}
