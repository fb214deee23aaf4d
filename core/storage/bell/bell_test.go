package bell

import (
	"runtime"
	"slices"
	"sync"
	"testing"
	"time"
)

func open(t *testing.T) *Bell {
	t.Helper()
	runtime.LockOSThread()
	b, err := New()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		b.Close()
		runtime.UnlockOSThread()
	})
	return b
}

// Waits end when they are due: never before, and in the middle hardly later than the system's own
// sleep, in turns with it.
func TestWaitsEndWhenTheyAreDue(t *testing.T) {
	b := open(t)
	const due = 300 * time.Microsecond
	lateness := func(wait func(time.Duration)) time.Duration {
		began := time.Now()
		wait(due)
		return time.Since(began) - due
	}
	for name, wait := range map[string]func(time.Duration){"bell": b.Wait, "sleep": Sleep} {
		var late, bare []time.Duration
		for range 50 {
			late = append(late, lateness(wait))
			bare = append(bare, lateness(time.Sleep))
		}
		slices.Sort(late)
		slices.Sort(bare)
		if late[0] < 0 || late[25] > 3*bare[25]+time.Millisecond {
			t.Errorf("%s: late by %s to %s, %s in the middle; a bare sleep by %s", name, late[0], late[49], late[25], bare[25])
		}
	}
	b.Wait(-time.Second)
	Sleep(-time.Second)
}

// lost is how long a wait takes whose ring is lost.
const lost = time.Minute

// No ring is lost, whether somebody waits at that moment or not.
func TestNoRingIsLost(t *testing.T) {
	b := open(t)
	b.Ring()
	b.Ring()
	began := time.Now()
	b.Wait(lost)
	if time.Since(began) >= lost {
		t.Fatal("a ring before the wait is lost")
	}
	const rings = 2000
	asked, answered := make(chan struct{}), make(chan struct{})
	var ringing sync.WaitGroup
	ringing.Go(func() {
		for range asked {
			b.Ring()
			answered <- struct{}{}
		}
	})
	for i := range rings {
		asked <- struct{}{}
		began := time.Now()
		b.Wait(lost)
		if time.Since(began) >= lost {
			t.Fatalf("ring %d is lost", i)
		}
		<-answered
	}
	close(asked)
	ringing.Wait()
	began = time.Now()
	b.Wait(5 * time.Millisecond)
	if time.Since(began) < 4*time.Millisecond {
		t.Error("a wait ends without a ring")
	}
}
