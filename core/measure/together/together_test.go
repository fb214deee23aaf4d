package together

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"opengauge/lab/room"
	"opengauge/lab/witness"
)

var terms = Terms{Version: "1", Plan: "{}", PlanName: "quick", Hosts: 3}

// quick is a patience that tests have.
var quick = Patience{Join: 5 * time.Second, First: 5 * time.Second, Ready: 5 * time.Second}

// enter joins a room, with a clock that is so far ahead.
func enter(t *testing.T, r *room.Room, name string, ahead time.Duration, of Terms) (*Host, error) {
	t.Helper()
	h := newHost(r.Enter(name), name, of, func(string) {})
	h.now = func() time.Time { return time.Now().Add(ahead) }
	joined, err := join(t.Context(), h, name+"-id", quick)
	if err == nil {
		t.Cleanup(joined.stop)
	}
	return joined, err
}

// all joins hosts whose clocks are hours apart, and runs something on each.
func all(t *testing.T, of Terms, do func(*Host)) {
	t.Helper()
	r := room.New()
	var group sync.WaitGroup
	for i := range of.Hosts {
		group.Go(func() {
			h, err := enter(t, r, fmt.Sprint("desk-", i), time.Duration(i)*time.Hour, of)
			if err != nil {
				t.Error(err)
				return
			}
			do(h)
		})
	}
	group.Wait()
}

func last(h *Host) Round { rounds := h.Rounds(); return rounds[len(rounds)-1] }

// Clocks that are hours apart make no difference: passes begin at once by a clock that none of
// them is.
func TestPassesBeginAtOnce(t *testing.T) {
	const passes = 5
	witness.Again(t, func() string {
		var mutex sync.Mutex
		began := make([][]time.Time, passes)
		offsets := map[time.Duration]bool{}
		all(t, terms, func(h *Host) {
			g := h.NewGate("race", last(h), quick)
			for pass := range passes {
				if _, err := g.Enter(t.Context(), pass); err != nil {
					t.Error(err)
				}
				mutex.Lock()
				began[pass] = append(began[pass], time.Now()) // the same clock for all
				offsets[h.Offset.Ahead.Round(time.Minute)] = true
				mutex.Unlock()
			}
			if len(g.Together().Starts) != passes || len(g.Together().Starts[0].Hosts) != terms.Hosts {
				t.Errorf("%s recorded %+v", h.Name, g.Together())
			}
		})
		if !offsets[-time.Hour] || !offsets[-2*time.Hour] || len(offsets) != terms.Hosts {
			t.Errorf("the offsets are %v", offsets)
		}
		for pass, times := range began {
			slices.SortFunc(times, time.Time.Compare)
			if len(times) != terms.Hosts {
				return fmt.Sprintf("pass %d began on %d hosts", pass, len(times))
			}
			if apart := times[len(times)-1].Sub(times[0]); !(apart <= Apart) {
				return fmt.Sprintf("pass %d began %s apart", pass, apart)
			}
		}
		return ""
	})
}

func TestOthersGoOnWithoutAHostThatIsGone(t *testing.T) {
	all(t, terms, func(h *Host) {
		g := h.NewGate("race", last(h), quick)
		if _, err := g.Enter(t.Context(), 0); err != nil {
			t.Error(err)
		}
		if h.Name == "desk-1" {
			_ = h.board.Close() // it died
			return
		}
		notes, err := g.Enter(t.Context(), 1)
		if err != nil || len(notes) == 0 || !strings.Contains(notes[0], "without desk-1") {
			t.Errorf("%s: %q, %v", h.Name, notes, err)
		}
		if err := h.Ended(t.Context(), last(h), "session-"+h.Name, ""); err != nil {
			t.Error(err)
		}
		ends, err := h.Await(t.Context(), last(h), time.Minute)
		if err != nil || ends["desk-1"].Failed == "" || ends["desk-0"].Session != "session-desk-0" {
			t.Errorf("%s: it ended as %v, %v", h.Name, ends, err)
		}
	})
}

func TestASlowHostIsNotWaitedForForEver(t *testing.T) {
	all(t, terms, func(h *Host) {
		g := h.NewGate("race", last(h), Patience{First: 300 * time.Millisecond})
		if h.Name == "desk-2" {
			time.Sleep(1500 * time.Millisecond)
		}
		notes, err := g.Enter(t.Context(), 0)
		want := "without desk-2"
		if h.Name == "desk-2" {
			want = "this host began pass 1 "
		}
		if err != nil || !strings.Contains(strings.Join(notes, "; "), want) {
			t.Errorf("%s: %q, %v; want %q", h.Name, notes, err, want)
		}
	})
}

// A host that is there and does nothing any more is not waited for at the end either.
func TestAHostThatHangsIsNotAwaited(t *testing.T) {
	all(t, terms, func(h *Host) {
		if h.Name == "desk-1" {
			time.Sleep(2 * time.Second)
			return
		}
		if err := h.Ended(t.Context(), last(h), "session-"+h.Name, ""); err != nil {
			t.Error(err)
		}
		ends, err := h.Await(t.Context(), last(h), 300*time.Millisecond)
		if err != nil || !strings.Contains(ends["desk-1"].Failed, "did not end within") ||
			ends["desk-0"].Session != "session-desk-0" {
			t.Errorf("%s: it ended as %+v, %v", h.Name, ends, err)
		}
	})
}

func TestHostsThatDoSomethingElseAreRefused(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*Terms)
		host   string
		want   string
	}{
		"plan":     {func(t *Terms) { t.Plan, t.PlanName = "{2}", "long-write" }, "desk-9", "it runs the plan quick"},
		"size":     {func(t *Terms) { t.Plan = "{2}" }, "desk-9", "other sizes"},
		"version":  {func(t *Terms) { t.Version = "2" }, "desk-9", "version 1"},
		"count":    {func(t *Terms) { t.Hosts = 4 }, "desk-9", "it waits for 3 hosts"},
		"sweep":    {func(t *Terms) { t.Sweep = true }, "desk-9", "sweeps"},
		"same one": {func(*Terms) {}, "desk-0", "OPENGAUGE_BENCH_NAME"},
	} {
		t.Run(name, func(t *testing.T) {
			r := room.New()
			first := newHost(r.Enter("desk-0"), "desk-0", terms, func(string) {})
			waiting, cancel := context.WithCancel(t.Context())
			var group sync.WaitGroup
			group.Go(func() { _, _ = join(waiting, first, "first", quick) })
			witness.Again(t, func() string {
				time.Sleep(20 * time.Millisecond)
				if n, _ := r.Enter("looks").Since(t.Context(), 0); len(n) == 0 {
					return "nobody joined"
				}
				return ""
			})
			other := terms
			c.change(&other)
			h := newHost(r.Enter(c.host), c.host, other, func(string) {})
			_, err := join(t.Context(), h, "second", Patience{Join: time.Second})
			if err == nil || !strings.Contains(err.Error(), c.want) {
				t.Errorf("it was let in: %v; want %q", err, c.want)
			}
			cancel()
			group.Wait()
		})
	}
}

func TestNobodyElseComes(t *testing.T) {
	h := newHost(room.New().Enter("desk-0"), "desk-0", terms, func(string) {})
	_, err := join(t.Context(), h, "x", Patience{Join: 100 * time.Millisecond})
	if err == nil || !strings.Contains(err.Error(), "no other host came") {
		t.Error(err)
	}
}

func TestRounds(t *testing.T) {
	members := []string{"a", "b", "c", "d", "e"}
	for _, c := range []struct {
		sweep, alone bool
		want         string
	}{
		{false, false, "abcde"}, {false, true, "a b c d e abcde a"}, {true, false, "a ab abcd abcde a"},
		{true, true, "a b c d e ab abcd abcde a"},
	} {
		h := &Host{Members: members, terms: Terms{Sweep: c.sweep, AloneFirst: c.alone}}
		var got []string
		for i, round := range h.Rounds() {
			if round.Number != i {
				t.Errorf("round %d has the number %d", i, round.Number)
			}
			if last := i > 0 && i == len(h.Rounds())-1; round.Again != last {
				t.Errorf("round %d of %d is again: %t", i, len(h.Rounds()), round.Again)
			}
			got = append(got, strings.Join(round.Members, ""))
		}
		if text := strings.Join(got, " "); text != c.want {
			t.Errorf("sweep %t, alone %t: %s, want %s", c.sweep, c.alone, text, c.want)
		}
	}
}

func TestNamesOfRounds(t *testing.T) {
	for _, c := range []struct {
		round Round
		want  string
	}{
		{Round{Members: []string{"a"}}, "pier a alone"}, {Round{Members: []string{"a"}, Again: true}, "pier a alone again"},
		{Round{Members: []string{"a", "b"}}, "pier a of 2"},
	} {
		if got := c.round.Name("pier", "a"); got != c.want {
			t.Errorf("%+v is called %q, want %q", c.round, got, c.want)
		}
	}
}

func TestStopAll(t *testing.T) {
	all(t, terms, func(h *Host) {
		ctx, cancel := h.Until(t.Context())
		defer cancel()
		g := h.NewGate("race", last(h), quick)
		if h.Name == "desk-0" {
			if err := h.StopAll(t.Context()); err != nil {
				t.Error(err)
			}
			return
		}
		if _, err := g.Enter(ctx, 0); !errors.Is(err, context.Canceled) {
			t.Errorf("%s went on: %v", h.Name, err)
		}
		if h.Stopped() != "desk-0" {
			t.Errorf("%s was stopped by %q", h.Name, h.Stopped())
		}
	})
}

func TestSumOfWhatAllSay(t *testing.T) {
	var mutex sync.Mutex
	sums := map[string]float64{}
	all(t, terms, func(h *Host) {
		if err := h.Says(t.Context(), Rate{0, 100e6}); err != nil {
			t.Error(err)
		}
		for range 100 {
			if sum, hosts := h.Sum(); hosts == terms.Hosts {
				mutex.Lock()
				sums[h.Name] = float64(sum)
				mutex.Unlock()
				return
			}
			time.Sleep(20 * time.Millisecond)
		}
	})
	if len(sums) != terms.Hosts || sums["desk-0"] != 300e6 {
		t.Errorf("the sums are %v", sums)
	}
}

func TestOneMerges(t *testing.T) {
	var mutex sync.Mutex
	merging := 0
	all(t, terms, func(h *Host) {
		mine, err := h.Merges(t.Context())
		if err != nil {
			t.Error(err)
		}
		if mine {
			mutex.Lock()
			merging++
			mutex.Unlock()
			if err := h.Merged(t.Context(), End{Session: "merged"}); err != nil {
				t.Error(err)
			}
		}
		if end, err := h.AwaitMerged(t.Context(), 5*time.Second); err != nil || end.Session != "merged" {
			t.Errorf("%s: %+v, %v", h.Name, end, err)
		}
	})
	if merging != 1 {
		t.Errorf("%d hosts merge", merging)
	}
}
