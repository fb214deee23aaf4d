package crowd

import (
	"math"
	"slices"
	"strings"
	"testing"

	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

func pass(rate float64) session.Pass {
	return session.Pass{Load: load.New(load.Read, load.Sequential, unit.MiB, 8), AskedSeconds: 5,
		BytesPerSecond: unit.BytesPerSecond(rate)}
}

// at is a contention of hosts that got so much each, and alone so much; 0 is not measured.
func at(chain link.Chain, alone []float64, together ...float64) session.Contention {
	var c session.Contention
	for i, rate := range together {
		m := session.Member{Address: string(rune('a' + i)), Chain: chain, Together: pass(rate)}
		if alone != nil {
			m.Alone = pass(alone[i])
		}
		c.Members = append(c.Members, m)
	}
	return c
}

func TestWhoseLimitItIs(t *testing.T) {
	ethernet, err := link.Find("ethernet 1g")
	if err != nil {
		t.Fatal(err)
	}
	gigabit := link.NewChain(ethernet.Hop("desk eth0"))
	none := link.NewChain()
	full := float64(ethernet.Hop("x").Usable.High)
	for _, c := range []struct {
		name  string
		of    []session.Contention
		limit Limit
		from  int
		own   []string
		says  string
	}{
		{"the volume, from two on", []session.Contention{at(none, nil, 60e6), at(none, nil, 50e6, 50e6),
			at(none, nil, 25e6, 25e6, 25e6, 25e6)}, Volume, 2, nil, "which 2 hosts have already"},
		{"each host itself", []session.Contention{at(none, nil, 60e6), at(none, nil, 59e6, 60e6),
			at(none, nil, 58e6, 60e6, 60e6, 60e6)}, Hosts, 0, nil, "another would add as much"},
		{"each host's link", []session.Contention{at(gigabit, []float64{full, full}, full, full)}, Wires, 0, nil,
			"desk eth0"},
		{"one has a narrow link", []session.Contention{at(none, []float64{10e6, 100e6, 100e6}, 10e6, 45e6, 45e6)}, Volume, 3,
			[]string{"a"}, "a loses nothing"},
		{"one count, nothing alone", []session.Contention{at(none, nil, 50e6, 50e6)}, Unknown, 0, nil, "--alone-first"},
		{"falls with many", []session.Contention{at(none, nil, 60e6), at(none, nil, 30e6, 30e6),
			at(none, nil, 10e6, 10e6, 10e6, 10e6)}, Volume, 1, nil, "1 host alone has already"},
	} {
		found := Of(&session.Session{Together: &session.Together{}, Contentions: c.of})
		if len(found) != 1 {
			t.Errorf("%s: %d sweeps", c.name, len(found))
			continue
		}
		w := &found[0]
		if w.Limit != c.limit || w.Saturates != c.from || !slices.Equal(w.OwnWires, c.own) {
			t.Errorf("%s: limit %s from %d, own %q; want %s from %d, %q", c.name, w.Limit, w.Saturates, w.OwnWires, c.limit,
				c.from, c.own)
		}
		if text := w.Verdict(unit.Decimal); !strings.Contains(text, c.says) {
			t.Errorf("%s: %q says nothing of %q", c.name, text, c.says)
		}
	}
	if Of(&session.Session{Contentions: []session.Contention{at(none, nil, 1)}}) != nil {
		t.Error("targets of one host are no crowd")
	}
}

func TestWhatAnotherHostCosts(t *testing.T) {
	none := link.NewChain()
	w := Of(&session.Session{Together: &session.Together{}, Contentions: []session.Contention{at(none, nil, 100e6),
		at(none, nil, 80e6, 80e6), at(none, nil, 40e6, 40e6, 20e6, 20e6)}})[0]
	if !math.IsNaN(w.Points[0].Cost) {
		t.Errorf("one host costs %v", w.Points[0].Cost)
	}
	for i, want := range []float64{0.2, 0.5} {
		if got := w.Points[i+1].Cost; !(math.Abs(got-want) <= 1e-9) {
			t.Errorf("point %d costs %v, want %v", i+1, got, want)
		}
	}
	// Jain's index of 40, 40, 20, 20 is 120² / (4 · 4000).
	if got := w.Points[2].Fairness; !(math.Abs(got-0.9) <= 1e-9) || w.Points[2].Sum != 120e6 {
		t.Errorf("fairness %v, sum %v", got, w.Points[2].Sum)
	}
}
