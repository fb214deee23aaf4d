package together

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"opengauge/core/record/meeting"
	"opengauge/lab/room"
)

var errCut = errors.New("the network was cut")

// cable is a board on the other side of a network that may be cut.
type cable struct {
	meeting.Board
	cut atomic.Bool
}

func (c *cable) failed() error {
	if c.cut.Load() {
		return errCut
	}
	return nil
}

func (c *cable) Post(ctx context.Context, key string, document any) error {
	return errors.Join(c.failed(), c.Board.Post(ctx, key, document))
}

func (c *cable) Since(ctx context.Context, number int64) ([]meeting.Notice, error) {
	if err := c.failed(); err != nil {
		return nil, err
	}
	return c.Board.Since(ctx, number)
}

func (c *cable) Present(ctx context.Context) (map[string]bool, error) {
	if err := c.failed(); err != nil {
		return nil, err
	}
	return c.Board.Present(ctx)
}

// Whoever hears nothing of the others any more begins by itself, says why, and is not stopped by it.
func TestAHostThatIsCutOffGoesOn(t *testing.T) {
	pair := terms
	pair.Hosts = 2
	r := room.New()
	wire := &cable{Board: r.Enter("desk-0")}
	cut := newHost(wire, "desk-0", pair, func(string) {})
	var group sync.WaitGroup
	group.Go(func() {
		if _, err := enter(t, r, "desk-1", 0, pair); err != nil {
			t.Error(err)
		}
	})
	if _, err := join(t.Context(), cut, "x", quick); err != nil {
		t.Fatal(err)
	}
	defer cut.stop()
	group.Wait()
	wire.cut.Store(true)
	notes, err := cut.NewGate("race", last(cut), Patience{First: time.Minute, Ready: time.Minute}).Enter(t.Context(), 0)
	if err != nil || len(notes) != 1 || !strings.Contains(notes[0], "went on by itself: "+errCut.Error()) {
		t.Errorf("it was told %q, %v", notes, err)
	}
	if _, err := cut.Await(t.Context(), last(cut), time.Minute); !errors.Is(err, errCut) {
		t.Errorf("waiting for the others ended with %v", err)
	}
}

// What is heard of a wire that was cut while a host waits ends the waiting.
func TestWaitingEndsWhereNothingIsHeard(t *testing.T) {
	wire := &cable{Board: room.New().Enter("desk-0")}
	h := newHost(wire, "desk-0", terms, func(string) {})
	go h.listen(t.Context())
	wire.cut.Store(true)
	<-h.ended
	if err := h.pause(t.Context(), time.Minute); !errors.Is(err, errCut) {
		t.Errorf("it goes on waiting: %v", err)
	}
}

func TestAHostThatComesTooLate(t *testing.T) {
	pair := terms
	pair.Hosts = 2
	r := room.New()
	var group sync.WaitGroup
	for _, name := range []string{"desk-0", "desk-1"} {
		group.Go(func() {
			if _, err := enter(t, r, name, 0, pair); err != nil {
				t.Error(err)
			}
		})
	}
	group.Wait()
	_, err := enter(t, r, "desk-2", 0, pair)
	if err == nil || !strings.Contains(err.Error(), "has begun without this host") {
		t.Errorf("it was let in: %v", err)
	}
}

func TestWhoIsWaitedForIsSaid(t *testing.T) {
	var said []string
	h := newHost(room.New().Enter("desk-0"), "desk-0", terms, func(text string) { said = append(said, text) })
	_, _ = join(t.Context(), h, "x", Patience{Join: 100 * time.Millisecond})
	if !slices.Equal(said, []string{"waiting for hosts: 1 of 3 are there (desk-0)"}) {
		t.Errorf("it said %q", said)
	}
}

// The first pass of a round is waited for as long as test files take, and later ones are not.
func TestPatienceOfLaterPasses(t *testing.T) {
	all(t, terms, func(h *Host) {
		g := h.NewGate("race", last(h), Patience{First: time.Minute, Ready: 200 * time.Millisecond})
		if h.Name == "desk-2" {
			time.Sleep(time.Second)
		}
		if notes, err := g.Enter(t.Context(), 0); err != nil || strings.Contains(strings.Join(notes, ""), "without") {
			t.Errorf("%s began its first pass with %q, %v", h.Name, notes, err)
		}
		if h.Name == "desk-2" {
			time.Sleep(1500 * time.Millisecond)
			return
		}
		notes, err := g.Enter(t.Context(), 1)
		if err != nil || !strings.Contains(strings.Join(notes, ""), "pass 2 began without desk-2") {
			t.Errorf("%s began its second pass with %q, %v", h.Name, notes, err)
		}
	})
}

// A host that leaves says so, and nobody waits for it.
func TestAHostThatLeaves(t *testing.T) {
	all(t, terms, func(h *Host) {
		if h.Name == "desk-1" {
			if err := h.Leave(t.Context(), "its disk is full"); err != nil {
				t.Error(err)
			}
			return
		}
		g := h.NewGate("race", last(h), quick)
		notes, err := g.Enter(t.Context(), 0)
		if err != nil || !strings.Contains(strings.Join(notes, ""), "without desk-1") {
			t.Errorf("%s: %q, %v", h.Name, notes, err)
		}
		if err := h.Ended(t.Context(), last(h), h.Name, ""); err != nil {
			t.Error(err)
		}
		ends, err := h.Await(t.Context(), last(h), time.Minute)
		if err != nil || ends["desk-1"].Failed != "it left" || ends["desk-2"].Session != "desk-2" {
			t.Errorf("%s: it ended as %+v, %v", h.Name, ends, err)
		}
	})
}

func TestWaitingForAStartIsInterrupted(t *testing.T) {
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	for _, stretch := range []time.Duration{-time.Second, 0, time.Minute} {
		if err := sleepUntil(ended, stretch); !errors.Is(err, context.Canceled) {
			t.Errorf("waiting %s ended with %v", stretch, err)
		}
	}
	began := time.Now()
	if err := sleepUntil(t.Context(), 30*time.Millisecond); err != nil || !(time.Since(began) >= 30*time.Millisecond) {
		t.Errorf("it woke after %s: %v", time.Since(began), err)
	}
}
