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

// one gives the first host of a contention another chain.
func one(chain link.Chain, c session.Contention) session.Contention {
	c.Members[0].Chain = chain
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
		{"one count, nothing alone", []session.Contention{at(none, nil, 50e6, 50e6)}, Unknown, 0, nil,
			"2 hosts give 100 MB/s; whose limit that is would be told by --alone-first"},
		{"slower newcomers that take nothing", []session.Contention{at(none, nil, 100e6), at(none, nil, 99e6, 10e6),
			at(none, nil, 98e6, 10e6, 12e6, 11e6)}, Hosts, 0, nil, "do not take from each other"},
		{"newcomers that take at last", []session.Contention{at(none, nil, 100e6), at(none, nil, 99e6, 10e6),
			at(none, nil, 60e6, 8e6, 12e6, 11e6)}, Volume, 2, nil, "on the way to 4 hosts each of the others loses 30 %."},
		{"a link is reached by one only", []session.Contention{one(gigabit, at(none, []float64{full, 60e6}, full, 60e6))},
			Hosts, 0, []string{"a"}, "a by its own link (desk eth0)"},
		{"the volume tired", []session.Contention{at(none, nil, 100e6), at(none, nil, 40e6, 40e6), at(none, nil, 70e6)},
			Changed, 0, nil, "100 MB/s before and 70 MB/s after"},
		{"the volume warmed up", []session.Contention{at(none, nil, 100e6), at(none, nil, 60e6, 60e6), at(none, nil, 111e6)},
			Changed, 0, nil, "changed meanwhile"},
		{"runs differ", []session.Contention{at(none, nil, 100e6), at(none, nil, 110e6), at(none, nil, 60e6, 60e6),
			at(none, nil, 120e6)}, Volume, 2, nil, "which 2 hosts have already"},
		{"the same afterwards", []session.Contention{at(none, nil, 100e6), at(none, nil, 50e6, 50e6), at(none, nil, 91e6)},
			Volume, 1, nil, "1 host alone has already"},
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
		if last := w.Points[len(w.Points)-1]; c.limit == Changed && !math.IsNaN(last.Cost) {
			t.Errorf("%s: another host costs %v", c.name, last.Cost)
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

// Of repeats the one in the middle counts, and how far they lie apart is known. Hosts that ran alone
// are no repeats of each other.
func TestRepeats(t *testing.T) {
	none := link.NewChain()
	other := at(none, nil, 7e6)
	other.Members[0].Address = "b"
	w := Of(&session.Session{Together: &session.Together{}, Contentions: []session.Contention{at(none, nil, 30e6),
		at(none, nil, 10e6), at(none, nil, 20e6), other, at(none, nil, 50e6, 1e6), at(none, nil, 40e6, 1e6),
		at(none, nil, 19e6), at(none, nil, 22e6)}})[0]
	if w.After != 19e6 {
		t.Errorf("afterwards it gives %v", w.After)
	}
	for i, want := range []Point{{Hosts: 1, Repeats: 3, Low: 10e6, Sum: 20e6, High: 30e6},
		{Hosts: 2, Repeats: 2, Low: 41e6, Sum: 41e6, High: 51e6}} {
		p := w.Points[i]
		if p.Hosts != want.Hosts || p.Repeats != want.Repeats || p.Low != want.Low || p.Sum != want.Sum ||
			p.High != want.High {
			t.Errorf("point %d is %+v, want %+v", i, p, want)
		}
	}
	if w.Points[0].Each[0].Host != "a" {
		t.Errorf("one host is %q", w.Points[0].Each[0].Host)
	}
}
