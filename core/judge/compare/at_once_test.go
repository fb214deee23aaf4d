package compare

import (
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/event"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// ofHost is a session of a host whose clock is so far behind the meeting's, of passes that began at seconds
// of the meeting's own time.
func ofHost(host string, behind time.Duration, rate float64, starts ...float64) *session.Session {
	began := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	s := &session.Session{ID: host, State: session.Complete, Started: began.Add(-behind),
		Ended:    began.Add(time.Minute - behind),
		Together: &session.Together{Meeting: "pier", Host: host, ClockOffsetSeconds: behind.Seconds()}}
	for i, start := range starts {
		p := session.Pass{Index: i, Load: load.New(load.Read, load.Sequential, unit.MiB, 1<<i), AskedSeconds: 4,
			StartedSeconds: start, ElapsedSeconds: 4, BytesPerSecond: unit.BytesPerSecond(rate)}
		for second := range 4 {
			p.Samples = append(p.Samples, session.Sample{TSeconds: float64(second + 1), ElapsedSeconds: 1,
				Bytes: unit.Bytes(rate), BytesPerSecond: unit.BytesPerSecond(rate)})
		}
		s.Passes = append(s.Passes, p)
	}
	return s
}

func TestAtOnce(t *testing.T) {
	died := ofHost("c", 2*time.Hour, 30e6, 5)
	died.State, died.Failure = session.Interrupted, "killed"
	rounds := [][]*session.Session{
		{ofHost("a", 0, 100e6, 5, 15)},
		{ofHost("a", 0, 50e6, 5, 15), ofHost("b", time.Hour, 40e6, 5.001, 15.002), died},
	}
	rounds[1][0].Events = []session.Event{{TSeconds: 14, Kind: event.Host, Detail: "pass 2 began without c"}}
	merged, err := AtOnce("x", "pier", rounds)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, c := range merged.Contentions {
		text := ""
		for _, m := range c.Members {
			text += fmt.Sprintf("%s %.0f of %.0f ", m.Address, float64(m.Together.BytesPerSecond)/1e6,
				float64(m.Alone.BytesPerSecond)/1e6)
		}
		got = append(got, strings.TrimSpace(text))
	}
	want := "a 100 of 100|a 100 of 100|a 50 of 100 b 40 of 0 c 30 of 0|a 50 of 100 b 40 of 0"
	if text := strings.Join(got, "|"); text != want {
		t.Errorf("the contentions are %s\nwant %s", text, want)
	}
	three := merged.Contentions[2]
	if len(three.Samples) != 4 || !(math.Abs(three.Samples[3].TSeconds-4) <= 0.01) ||
		!(math.Abs(float64(three.Samples[1].BytesPerSecond)-120e6) <= 1) {
		t.Errorf("the sum of three is %+v", three.Samples)
	}
	if length := merged.ElapsedSeconds(); !(math.Abs(length-60) <= 1) {
		t.Errorf("by the meeting's clock it lasted %v s", length)
	}
	said := ""
	for _, each := range merged.Events {
		said += each.Detail + "; "
	}
	if !strings.Contains(said, "a: pass 2 began without c") ||
		!strings.Contains(said, "c: its session is interrupted: killed") {
		t.Errorf("what happened: %s", said)
	}
	if len(merged.MergedFrom) != 4 || len(merged.Together.Hosts) != 3 {
		t.Errorf("merged from %q of %q", merged.MergedFrom, merged.Together.Hosts)
	}
}

// Repeats of a load at once are none of them what a host gives alone; of repeats alone the middle one counts.
func TestRepeatsAtOnceAreNotAlone(t *testing.T) {
	repeats := func(host string, rates ...float64) *session.Session {
		s := ofHost(host, 0, 1, 5, 15, 25)
		for i := range s.Passes {
			s.Passes[i].Load = s.Passes[0].Load
			s.Passes[i].BytesPerSecond = unit.BytesPerSecond(rates[i])
		}
		return s
	}
	a, b := repeats("a", 50e6, 51e6, 52e6), repeats("b", 40e6, 41e6, 42e6)
	alone := repeats("a", 120e6, 90e6, 100e6)
	for name, c := range map[string]struct {
		rounds [][]*session.Session
		alone  float64
	}{
		"nothing alone": {[][]*session.Session{{a, b}}, 0}, "alone": {[][]*session.Session{{alone}, {a, b}}, 100e6},
	} {
		merged, err := AtOnce("x", "pier", c.rounds)
		if err != nil {
			t.Fatal(err)
		}
		together := 0
		for _, each := range merged.Contentions {
			if len(each.Members) != 2 {
				continue
			}
			together++
			if got := float64(each.Members[0].Alone.BytesPerSecond); got != c.alone {
				t.Errorf("%s: a has %v alone, want %v", name, got, c.alone)
			}
			if got := float64(each.Members[1].Alone.BytesPerSecond); got != 0 {
				t.Errorf("%s: b was not alone and has %v", name, got)
			}
		}
		if together != 3 {
			t.Errorf("%s: %d passes of both", name, together)
		}
	}
}

// Sessions of a meeting are put into its rounds by their hosts and the meeting's clock.
func TestRoundsOfAMeeting(t *testing.T) {
	of := func(id, host string, minute int, behind time.Duration, hosts ...string) *session.Session {
		s := ofHost(host, behind, 1e6, 5)
		s.ID, s.Together.Hosts, s.Started = id, hosts, s.Started.Add(time.Duration(minute)*time.Minute)
		return s
	}
	var texts []string
	for _, round := range Rounds([]*session.Session{
		of("again", "a", 30, 0, "a"), of("both-b", "b", 20, time.Hour, "a", "b"), of("alone-b", "b", 10, time.Hour, "b"),
		of("both-a", "a", 20, 0, "a", "b"), of("alone-a", "a", 0, 0, "a"),
	}) {
		text := ""
		for _, s := range round {
			text += s.ID + " "
		}
		texts = append(texts, strings.TrimSpace(text))
	}
	if got := strings.Join(texts, "|"); got != "alone-a|alone-b|both-a both-b|again" {
		t.Errorf("the rounds are %s", got)
	}
}

func TestNothingAtOnce(t *testing.T) {
	for name, rounds := range map[string][][]*session.Session{
		"no session": {}, "of no meeting": {{{ID: "x"}}}, "no pass": {{ofHost("a", 0, 1), ofHost("b", 0, 1)}},
		"at other times": {{ofHost("a", 0, 1e6, 5), ofHost("b", 0, 1e6, 30)}},
	} {
		if merged, err := AtOnce("x", "pier", rounds); err == nil {
			t.Errorf("%s: merged %+v", name, merged.Contentions)
		}
	}
}
