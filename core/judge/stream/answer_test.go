package stream

import (
	"math"
	"testing"

	"opengauge/core/judge/explain"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// added puts a pass to a session: so many seconds at each rate, a sample a second.
func added(s *session.Session, l load.Load, stretches ...Stretch) {
	p := session.Pass{Index: len(s.Passes), Load: l, StartedSeconds: 1000 * float64(len(s.Passes)), AskedSeconds: 5}
	for _, each := range stretches {
		for range int(each.Seconds) {
			p.ElapsedSeconds++
			p.Bytes += unit.Bytes(each.Rate)
			p.Samples = append(p.Samples, session.Sample{TSeconds: p.ElapsedSeconds, ElapsedSeconds: 1,
				Bytes: unit.Bytes(each.Rate), BytesPerSecond: each.Rate})
		}
	}
	p.BytesPerSecond = unit.BytesPerSecond(float64(p.Bytes) / p.ElapsedSeconds)
	s.Passes = append(s.Passes, p)
}

func bench(t *testing.T) *session.Session {
	t.Helper()
	s := &session.Session{ID: "a", Target: session.Target{CapacityBytes: unit.TB},
		Conditions: map[string]string{explain.StorageCondition: explain.StorageDrive}}
	added(s, load.New(load.Read, load.Sequential, 512, 1), Stretch{60, 50e6})
	added(s, load.New(load.Read, load.Sequential, unit.MiB, 8), Stretch{10, 560e6})
	added(s, load.New(load.Read, load.Sequential, unit.MiB, 1), Stretch{5, 300e6})
	added(s, load.New(load.Read, load.Random, unit.MiB, 8), Stretch{90, 900e6})
	added(s, load.New(load.Write, load.Sequential, unit.MiB, 8), Stretch{60, 1000e6}, Stretch{120, 200e6})
	rated := load.New(load.Write, load.Sequential, unit.MiB, 8)
	rated.Rate = 10
	added(s, rated, Stretch{300, 10e6})
	return s
}

func TestAnswersFollowTheLongestRecordingOfLargeBlocks(t *testing.T) {
	s := bench(t)
	findings := []session.Finding{{Kind: "link-bound", Passes: []int{4}, FromSeconds: 50, ToSeconds: 70},
		{Kind: "cache-exhausted", Passes: []int{4}, FromSeconds: 60, ToSeconds: 180},
		{Kind: "heat-throttle", Passes: []int{1}, FromSeconds: 0, ToSeconds: 180}}
	answers, err := Answers(s, findings, []Stream{{Name: "a", Rate: 311e6, AtOnce: 1, Buffer: 100e6},
		{Name: "b", Rate: 150e6, AtOnce: 1}, {Name: "c", Rate: 700e6, AtOnce: 2}}, 400*unit.GB, 2*unit.TB, 10*unit.GB)
	if err != nil || len(answers) != 3 {
		t.Fatalf("%+v, %v", answers, err)
	}
	reading, writing := answers[0].Reading, answers[0].Writing
	if reading.From != "read sequential 1 MiB, depth 8" || reading.Seconds != 10 || !reading.Carried || reading.Lasting ||
		reading.Settled || reading.Most != 1 || reading.EndedBy != "" {
		t.Errorf("reading: %+v", reading)
	}
	if writing.Carried || !(math.Abs(writing.UntilSeconds-60.9) <= 0.2) || writing.EndedBy != "cache-exhausted" ||
		!writing.Settled || answers[0].Ends() != "cache-exhausted" {
		t.Errorf("writing: %+v", writing)
	}
	held := func(side *Side) [3]Held {
		return [3]Held{side.Amounts[0].Held, side.Amounts[1].Held, side.Amounts[2].Held}
	}
	if got := held(writing); got != [3]Held{No, TooLarge, Yes} {
		t.Errorf("amounts written: %v", got)
	}
	if got := held(reading); got != [3]Held{NotKnown, TooLarge, NotKnown} {
		t.Errorf("amounts read: %v", got)
	}
	if w := answers[1].Writing; !w.Lasting || held(w) != [3]Held{Yes, TooLarge, Yes} || w.Most != 1 {
		t.Errorf("what the slow level carries: %+v", w)
	}
	if r := answers[2].Reading; r.Carried || r.EndedBy != TooSlow || answers[2].Ends() == "" {
		t.Errorf("more than there ever was: %+v", r)
	}
}

func TestAnswersFromSmallBlocksOnlyWhereThereAreNoOthers(t *testing.T) {
	s := bench(t)
	s.Passes = s.Passes[:1]
	answers, err := Answers(s, nil, []Stream{{Rate: 10e6, AtOnce: 1}})
	if err != nil || answers[0].Reading.From != "read sequential 512 B, depth 1" || answers[0].Writing != nil {
		t.Errorf("%+v, %v", answers, err)
	}
	s.Passes = nil
	if _, err := Answers(s, nil, []Stream{{Rate: 10e6, AtOnce: 1}}); err == nil {
		t.Error("an answer from nothing")
	}
}

func TestTheLastQuarterIsTheLongRun(t *testing.T) {
	if got := lastRate(append(steady(75, 100e6), steady(25, 300e6)...)); got != 300e6 {
		t.Errorf("%v", got)
	}
	if got := lastRate([]Stretch{{2, 100e6}}); got != 100e6 {
		t.Errorf("of one stretch: %v", got)
	}
	if got := lastRate([]Stretch{{10, 100e6}, {1, 400e6}, {3, 200e6}}); !(math.Abs(float64(got)-250e6) <= 1) {
		t.Errorf("of uneven ones: %v", got)
	}
}
