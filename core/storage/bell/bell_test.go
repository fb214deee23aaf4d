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

// Waits end when they are due: never before, and most of them within a millisecond.
func TestWaitsEndWhenTheyAreDue(t *testing.T) {
	b := open(t)
	for name, wait := range map[string]func(time.Duration){"bell": b.Wait, "sleep": Sleep} {
		var late []time.Duration
		for range 50 {
			began := time.Now()
			wait(300 * time.Microsecond)
			late = append(late, time.Since(began)-300*time.Microsecond)
		}
		slices.Sort(late)
		if late[0] < 0 || late[25] > time.Millisecond {
			t.Errorf("%s: late by %s to %s, %s in the middle", name, late[0], late[49], late[25])
		}
	}
	b.Wait(-time.Second)
	Sleep(-time.Second)
}

// No ring is lost, whether somebody waits at that moment or not.
func TestNoRingIsLost(t *testing.T) {
	b := open(t)
	b.Ring()
	b.Ring()
	began := time.Now()
	b.Wait(10 * time.Second)
	if time.Since(began) > 5*time.Second {
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
		b.Wait(10 * time.Second)
		if time.Since(began) > 5*time.Second {
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
