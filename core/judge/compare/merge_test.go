package compare

import (
	"math"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/judge/factor"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// ran is a session of a host whose passes of the same load began at those seconds.
func ran(name, on string, started time.Time, rate map[float64]float64) *session.Session {
	s := &session.Session{ID: name, Name: name, Started: started, Parts: []book.Part{{Kind: book.Host, Name: on}},
		Target: session.Target{Address: "nbd://lagoon"}}
	last := 0.0
	for at := 0.0; at < 100; at++ {
		each, begins := rate[at]
		if !begins {
			continue
		}
		pass := session.Pass{
			Index: len(s.Passes), Load: load.Load{Operation: load.Read, Access: load.Random, Block: 4096, Depth: 8},
			StartedSeconds: at, ElapsedSeconds: 10,
			BytesPerSecond: unit.BytesPerSecond(each), Samples: []session.Sample{},
		}
		for second := 1; second <= 10; second++ {
			pass.Samples = append(pass.Samples, session.Sample{TSeconds: float64(second), ElapsedSeconds: 1,
				Bytes: unit.Bytes(each), BytesPerSecond: unit.BytesPerSecond(each)})
		}
		s.Passes, last = append(s.Passes, pass), at+10
	}
	s.Ended = started.Add(time.Duration(last * 1e9))
	return s
}

func TestMergeHosts(t *testing.T) {
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	// Both are alone first, then at once; the clock of b is two seconds behind.
	a := ran("a", "cabin-desk", at, map[float64]float64{0: 100e6, 40: 75e6})
	b := ran("b", "deck-tablet", at.Add(-2*time.Second), map[float64]float64{20: 100e6, 41: 25e6})
	merged, err := Merge("m", "both", []*session.Session{a, b}, []time.Duration{0, 2 * time.Second})
	if err != nil || len(merged.Contentions) != 1 || len(merged.MergedFrom) != 2 {
		t.Fatalf("%+v, %v", merged, err)
	}
	c := merged.Contentions[0]
	if c.Members[0].Address != "cabin-desk (a)" || c.Members[0].Together.BytesPerSecond != 75e6 ||
		c.Members[0].Alone.BytesPerSecond != 100e6 || !(math.Abs(c.Members[1].Loss()-0.75) <= 1e-9) {
		t.Errorf("members are %+v", c.Members)
	}
	if len(c.Samples) != 9 { // the nine seconds in which both ran
		t.Fatalf("%d samples", len(c.Samples))
	}
	for _, sample := range c.Samples {
		// (75+25)² / (2·(75²+25²))
		if !(math.Abs(float64(sample.BytesPerSecond)/100e6-1) <= 1e-9) || !(math.Abs(sample.Fairness-0.8) <= 1e-9) {
			t.Errorf("sample %+v", sample)
		}
	}
}

// What a host got before the others came does not count as got at once.
func TestMergeCountsTheOverlapOnly(t *testing.T) {
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	a, b := ran("a", "cabin-desk", at, map[float64]float64{0: 50e6}),
		ran("b", "deck-tablet", at, map[float64]float64{4: 50e6})
	for second := range 4 { // alone, each gets twice as much
		a.Passes[0].Samples[second].Bytes, b.Passes[0].Samples[9-second].Bytes = 100e6, 100e6
	}
	merged, err := Merge("m", "both", []*session.Session{a, b}, make([]time.Duration, 2))
	if err != nil {
		t.Fatal(err)
	}
	for _, member := range merged.Contentions[0].Members {
		if got := member.Together; got.BytesPerSecond != 50e6 || got.ElapsedSeconds != 6 || len(got.Samples) != 6 {
			t.Errorf("%s got %v over %v s", member.Address, got.BytesPerSecond, got.ElapsedSeconds)
		}
	}
	merged, err = Merge("m", "both", []*session.Session{a, b}, make([]time.Duration, 2),
		ran("c", "deck-tablet", at.Add(time.Hour), map[float64]float64{0: 100e6}))
	if err != nil {
		t.Fatal(err)
	}
	if members := merged.Contentions[0].Members; members[0].Alone.BytesPerSecond != 0 ||
		!(math.Abs(members[1].Loss()-0.5) <= 1e-9) {
		t.Errorf("with what the second gave alone, they are %+v", members)
	}
	if a.Passes[0].ElapsedSeconds != 10 || len(a.Passes[0].Samples) != 10 {
		t.Error("the session that was merged is changed")
	}
}

func TestMergeWhatCannotBe(t *testing.T) {
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	a := ran("a", "cabin-desk", at, map[float64]float64{0: 100e6})
	later := ran("b", "deck-tablet", at.Add(time.Hour), map[float64]float64{0: 100e6})
	if _, err := Merge("m", "", []*session.Session{a, later}, make([]time.Duration, 2)); err == nil ||
		!strings.Contains(err.Error(), "did not run at the same time") || !strings.Contains(err.Error(), "--shift") {
		t.Errorf("an hour apart: %v", err)
	}
	other := ran("c", "deck-tablet", at, map[float64]float64{0: 100e6})
	other.Passes[0].Depth = 1
	if _, err := Merge("m", "", []*session.Session{a, other}, make([]time.Duration, 2)); err == nil ||
		!strings.Contains(err.Error(), "no load ran on all") {
		t.Errorf("another load: %v", err)
	}
	if _, err := Merge("m", "", []*session.Session{a}, make([]time.Duration, 1)); err == nil {
		t.Error("one session is merged")
	}
}

// Two volumes have two addresses: that is one difference, not two.
func TestAVolumeIsOneCircumstance(t *testing.T) {
	var sessions []*session.Session
	for _, name := range []string{"steady", "burst"} {
		sessions = append(sessions, &session.Session{
			ID: name, Name: name, Parts: []book.Part{{Kind: book.Volume, Name: name}},
			Target: session.Target{Address: "nbd://shore/" + name},
			Passes: []session.Pass{{Load: load.Load{Operation: load.Read, Access: load.Random, Block: 4096, Depth: 8},
				ElapsedSeconds: 5, BytesPerSecond: 1e6, Direct: true}},
		})
	}
	compared, err := New(sessions, Terms{})
	if err != nil {
		t.Fatal(err)
	}
	for _, each := range compared.Findings {
		t.Errorf("%s: %s", each.Kind, each.Summary)
	}
	if got := factor.Of(sessions[0]); got[factor.Volume] != "steady" || got["target"] != "" {
		t.Errorf("its circumstances are %v", got)
	}
}
