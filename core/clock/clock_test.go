package clock

import (
	"testing"
	"time"
)

func TestAClockKeepsTime(t *testing.T) {
	c, began := Start(), time.Now()
	last := c.Now()
	for range 1000 {
		now := c.Now()
		if now < last {
			t.Fatalf("the clock went back from %s to %s", last, now)
		}
		last = now
	}
	time.Sleep(50 * time.Millisecond)
	passed := time.Since(began)
	if off := c.Now() - passed; off < -5*time.Millisecond || off > 20*time.Millisecond {
		t.Errorf("the clock is off by %s after %s", off, passed)
	}
}

func TestStep(t *testing.T) {
	if step := Step(); step <= 0 || step > time.Millisecond {
		t.Errorf("the clock moves in steps of %s", step)
	}
}
