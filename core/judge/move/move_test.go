package move

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/judge/explain"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// level is so many seconds at a rate.
type level struct {
	seconds int
	rate    float64
}

// writing is a session with a pass a list of levels, a sample a second.
func writing(name string, capacity unit.Bytes, runs ...[]level) *session.Session {
	s := &session.Session{ID: name, Name: name, Target: session.Target{CapacityBytes: capacity}}
	for i, levels := range runs {
		l := load.New(load.Write, load.Sequential, unit.MiB, 8)
		l.Sustained = true
		p := session.Pass{Index: i, Repeat: i, Step: "sustain", Load: l}
		for _, each := range levels {
			for range each.seconds {
				p.ElapsedSeconds++
				p.Bytes += unit.Bytes(each.rate)
				p.Samples = append(p.Samples, session.Sample{TSeconds: p.ElapsedSeconds, ElapsedSeconds: 1,
					Bytes: unit.Bytes(each.rate), BytesPerSecond: unit.BytesPerSecond(each.rate)})
			}
		}
		p.BytesPerSecond = unit.BytesPerSecond(float64(p.Bytes) / p.ElapsedSeconds)
		s.Passes = append(s.Passes, p)
	}
	s.Conditions = map[string]string{explain.StorageCondition: explain.StorageDrive}
	return s
}

func curve(t *testing.T, s *session.Session) *Curve {
	t.Helper()
	curves := Of(s)
	if len(curves) != 1 {
		t.Fatalf("%d curves", len(curves))
	}
	return &curves[0]
}

func near(got, want float64) bool { return math.Abs(got-want) <= 0.02*want }

// area is a drive whose fast write area of 100 GB is full after 100 seconds.
func area(name string, slow float64) *session.Session {
	return writing(name, 2*unit.TB, []level{{100, 1e9}, {200, slow}})
}

func TestTimesWithinARecordingAndBeyond(t *testing.T) {
	c := curve(t, area("a", 200e6))
	for amount, want := range map[unit.Bytes]float64{
		unit.GB / 2: 0.5, 50 * unit.GB: 50, 110 * unit.GB: 150, 140 * unit.GB: 300, 240 * unit.GB: 800,
		2 * unit.TB: 9600,
	} {
		got := c.For(amount)
		if !near(got.Seconds, want) || got.Extrapolated != (amount > 140*unit.GB) {
			t.Errorf("%s: %+v, want %v s", amount.Decimal(), got, want)
		}
		around := got.Low < got.Seconds && got.High > got.Seconds
		if got.Extrapolated && (got.Cause != explain.CacheExhausted || !around) {
			t.Errorf("%s: %+v", amount.Decimal(), got)
		}
	}
	if got := c.For(3 * unit.TB); !got.TooLarge || got.Known() || got.Words() != "more than it holds" {
		t.Errorf("more than it holds: %+v", got)
	}
	want := "the first 100 GB at 1\u00a0000 MB/s, then 200 MB/s"
	if got := c.Levels(unit.Decimal); got != want {
		t.Errorf("%q, want %q", got, want)
	}
	text := c.Says(unit.Decimal, []unit.Bytes{50 * unit.GB, 240 * unit.GB, 3 * unit.TB})
	for _, want := range []string{"50 GB 50 s", "(write area) lasts: 240 GB 13 min", "it holds less than 3 TB"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q, want %q in it", text, want)
		}
	}
}

func TestNothingIsKnownBeyondASteadyRecording(t *testing.T) {
	c := curve(t, writing("a", 0, []level{{60, 500e6}}))
	if got := c.For(60 * unit.GB); got.Known() || !near(got.Low, 120) || !got.Extrapolated || got.Cause != "" ||
		got.Words() != "at least 2 min" {
		t.Errorf("%+v", got)
	}
	if got := c.For(15 * unit.GB); !near(got.Seconds, 30) || got.Extrapolated {
		t.Errorf("%+v", got)
	}
	if c.Falls() || c.Stepped() || c.Settled() || c.Reach() != 30*unit.GB {
		t.Errorf("reaches %s", c.Reach())
	}
}

func TestAPassThatWasCutShortTellsNothingOfWhatFollows(t *testing.T) {
	s := area("a", 200e6)
	s.Passes[0].CutShort = true
	if curves := Of(s); len(curves) != 0 {
		t.Errorf("%+v", curves)
	}
}

func TestRepeatsGiveAnInterval(t *testing.T) {
	c := curve(t, writing("a", 0, []level{{40, 1.00e9}}, []level{{40, 1.04e9}}, []level{{40, 0.96e9}}))
	got := c.For(20 * unit.GB)
	if !near(got.Seconds, 20) || !(got.Low < 19.5) || !(got.High > 20.5) || got.Extrapolated {
		t.Errorf("%+v", got)
	}
	if one := curve(t, writing("a", 0, []level{{40, 1e9}})).For(20 * unit.GB); one.Low != 0 || one.High != 0 {
		t.Errorf("one recording has an interval: %+v", one)
	}
}

func TestWhereCurvesCross(t *testing.T) {
	fast, even := curve(t, area("a", 200e6)), curve(t, writing("b", 500*unit.GB, []level{{900, 500e6}}))
	// 100 + (x-100)/0.2 = x/0.5, in GB and seconds.
	found := Crossings(fast, even)
	if len(found) != 1 || !near(float64(found[0].Amount), 400e9/3) || found[0].Before != 0 || found[0].After != 1 {
		t.Errorf("%+v", found)
	}
	if turned := Crossings(even, fast); len(turned) != 1 || turned[0].Before != 1 || turned[0].After != 0 {
		t.Errorf("%+v", turned)
	}
	short := curve(t, writing("c", 500*unit.GB, []level{{100, 500e6}}))
	if found := Crossings(fast, short); len(found) != 0 {
		t.Errorf("where nothing settles how one goes on, none is known: %+v", found)
	}
	if found := Crossings(fast, fast); len(found) != 0 {
		t.Errorf("a curve crosses itself: %+v", found)
	}
	if alike := Alike(fast, curve(t, area("d", 100e6))); !near(float64(alike), 101e9) {
		t.Errorf("alike up to %s", alike.Decimal())
	}
}

// Heat that comes and goes repeats as it was, from where the recording ends.
func TestTurnsRepeat(t *testing.T) {
	var levels []level
	for range 8 {
		levels = append(levels, level{30, 1e9}, level{20, 250e6})
	}
	s := writing("a", 600*unit.GB, levels)
	for i := range s.Passes[0].Samples { // warm when it falls, cooler when it comes back
		at := i % 50
		celsius := 60 + float64(at)/3
		if at >= 30 {
			celsius = 70 - float64(at-30)/2
		}
		s.Passes[0].Samples[i].TemperaturesCelsius = map[string]unit.Celsius{"drive": unit.Celsius(celsius)}
	}
	c := curve(t, s)
	// A turn of 50 s moves 35 GB; the recording ends with one.
	got := c.For(280*unit.GB + 35*unit.GB*3 + 15*unit.GB)
	if !near(got.Seconds, 400+150+15) || got.Cause != explain.HeatThrottle {
		t.Errorf("%+v", got)
	}
	// Of a drive of which less than a third was written, a write area may run out besides.
	s.Target.CapacityBytes = unit.TB
	if least := curve(t, s).For(got.Amount); least.Known() || !near(least.Low, got.Seconds) || curve(t, s).Settled() {
		t.Errorf("of a larger drive: %+v", least)
	}
	if c.Stepped() || len(c.Phases) != 2 || !near(float64(c.Phases[1].Rate), 0.7e9) ||
		!near(float64(c.Phases[1].Slowest), 250e6) {
		t.Errorf("%+v", c.Phases)
	}
}

func TestBehindASlowerLink(t *testing.T) {
	c := curve(t, area("a", 200e6)).Through(400e6)
	for amount, want := range map[unit.Bytes]float64{100 * unit.GB: 250, 140 * unit.GB: 450, 240 * unit.GB: 950} {
		if got := c.For(amount); !near(got.Seconds, want) {
			t.Errorf("%s: %+v, want %v", amount.Decimal(), got, want)
		}
	}
}

func TestWhatWasWrittenBeforeItCounted(t *testing.T) {
	s := area("a", 200e6)
	s.Passes[0].SettleBytes, s.Passes[0].SettleSeconds = 10*unit.GB, 10
	c := curve(t, s)
	if got := c.For(60 * unit.GB); !near(got.Seconds, 60) {
		t.Errorf("%+v", got)
	}
	if got := c.Phases[1].From; !near(float64(got), 110e9) {
		t.Errorf("it changes at %s", got.Decimal())
	}
}

func TestASampleOrTwo(t *testing.T) {
	c := curve(t, writing("a", 0, []level{{2, 1e9}}))
	if got := c.For(unit.GB); !near(got.Seconds, 1) {
		t.Errorf("%+v", got)
	}
	if got := c.For(10 * unit.GB); got.Known() || !near(got.Low, 10) {
		t.Errorf("%+v", got)
	}
	none := writing("a", 0, []level{{10, 1e9}})
	none.Passes[0].Samples = nil // as lists have it
	if got := curve(t, none).For(5 * unit.GB); !near(got.Seconds, 5) {
		t.Errorf("%+v", got)
	}
}

// Repeats without a rest are one recording where throughput falls over them: the third
// did not begin as the first did.
func TestRepeatsThatRanOnAreOneRecording(t *testing.T) {
	ranOn := func(runs ...[]level) *session.Session {
		s := writing("a", 0, runs...)
		for i := 1; i < len(s.Passes); i++ {
			before := &s.Passes[i-1]
			s.Passes[i].StartedSeconds = before.StartedSeconds + before.ElapsedSeconds
		}
		return s
	}
	c := curve(t, ranOn([]level{{40, 1e9}}, []level{{40, 1e9}}, []level{{40, 200e6}}, []level{{40, 200e6}}))
	if got := c.For(90 * unit.GB); !near(got.Seconds, 130) || got.Extrapolated {
		t.Errorf("over the repeats: %+v", got)
	}
	steady := curve(t, ranOn([]level{{40, 1e9}}, []level{{40, 1.03e9}}, []level{{40, 0.97e9}}))
	if got := steady.For(30 * unit.GB); !(got.Low < got.Seconds) || !(got.High > got.Seconds) {
		t.Errorf("repeats that are alike have an interval: %+v", got)
	}
	rested := writing("a", 0, []level{{40, 1e9}}, []level{{40, 1e9}})
	rested.Passes[1].StartedSeconds = 600
	if got := curve(t, rested).For(60 * unit.GB); got.Known() {
		t.Errorf("with a rest between they are not: %+v", got)
	}
}

// Where the old chain held it, and no longer does, only what ran at that rate is faster.
func TestWithoutWhatHeldIt(t *testing.T) {
	c := curve(t, area("a", 200e6)).Lifted(1e9, 2e9)
	for amount, want := range map[unit.Bytes]float64{100 * unit.GB: 50, 140 * unit.GB: 250, 240 * unit.GB: 750} {
		if got := c.For(amount); !near(got.Seconds, want) {
			t.Errorf("%s: %+v, want %v", amount.Decimal(), got, want)
		}
	}
}

func TestWhatComesAgainAfterTheRecording(t *testing.T) {
	c := curve(t, area("a", 200e6))
	onward, known := c.Onward()
	if !known || len(onward) != 1 || !near(onward[0].Rate, 200e6) || len(c.Recording()) != 300 || !near(c.Longest(), 300) {
		t.Errorf("%v, %v; %d stretches over %v s", onward, known, len(c.Recording()), c.Longest())
	}
	if onward, known := curve(t, writing("a", 0, []level{{60, 500e6}})).Onward(); known {
		t.Errorf("after a steady recording: %v", onward)
	}
}

// The rate of a level that varies is known as well as its mean is.
func TestTheRestOfANoisyLevelHasAnInterval(t *testing.T) {
	s := area("a", 200e6)
	samples := s.Passes[0].Samples
	for i := 100; i < len(samples); i++ {
		by := 1 + 0.2*math.Sin(float64(i)*2.4)
		samples[i].Bytes = unit.Bytes(float64(samples[i].Bytes) * by)
		samples[i].BytesPerSecond *= unit.BytesPerSecond(by)
	}
	got := curve(t, s).For(340 * unit.GB) // a thousand seconds after the recording
	if wide := (got.High - got.Low) / 2 / (got.Seconds - 300); !near(got.Seconds, 1300) || wide < 0.012 || wide > 0.1 {
		t.Errorf("%+v, to within %.3f of what is beyond the recording", got, wide)
	}
	exact := curve(t, area("a", 200e6)).For(340 * unit.GB)
	if !(math.Abs((exact.High-exact.Low)/2/1000-leastError) <= 0.001) {
		t.Errorf("of a level that does not: %+v", exact)
	}
}

func TestWhereASessionStandsByAnAmount(t *testing.T) {
	own := curve(t, area("a", 200e6))
	others := []*session.Session{area("alike", 201e6), area("slower", 100e6), area("faster", 400e6),
		area("fastest", 800e6), writing("unknown", 0, []level{{60, 500e6}})}
	s := Stand(own, 240*unit.GB, others)
	if s.Others != 4 || s.Alike != 1 || s.Slower != 1 || s.Faster != 2 || s.Next == nil || s.Next.Session != "faster" ||
		!near(s.Seconds, 800) {
		t.Errorf("%+v, next %+v", s, s.Next)
	}
	if s := Stand(curve(t, writing("a", 0, []level{{60, 500e6}})), unit.TB, others); s.Others != 0 || s.Next != nil {
		t.Errorf("of a time that is not known: %+v", s)
	}
}

// What a session wrote before is said where it may have used up a part of the area.
func TestWhatWasWrittenBeforeIsSaid(t *testing.T) {
	s := area("a", 200e6)
	before := s.Passes[0]
	before.Load.Block, before.Samples, before.Bytes = 4*unit.KiB, before.Samples[:30], 30*unit.GB
	s.Passes[0].Index = 1
	s.Passes[0].StartedSeconds = 5000
	s.Passes = append([]session.Pass{before}, s.Passes...)
	curves := Of(s)
	told := Told(curves)
	if len(told) != 1 || told[0].Before != 30*unit.GB {
		t.Fatalf("%d curves are told, %s before", len(told), told[0].Before.Decimal())
	}
	if text := told[0].Says(unit.Decimal, nil); !strings.Contains(text, "30 GB had been written before it") {
		t.Errorf("%q", text)
	}
	if text := told[0].Says(unit.Binary, nil); !strings.Contains(text, "MiB/s") {
		t.Errorf("%q", text)
	}
}

func TestLevelsOneByOne(t *testing.T) {
	c := curve(t, writing("a", 2*unit.TB, []level{{60, 2e9}, {60, 1e9}, {200, 300e6}}))
	if len(c.Phases) != 3 || !c.Stepped() {
		t.Fatalf("%+v", c.Phases)
	}
	for i, want := range []struct{ from, rate float64 }{{0, 2e9}, {120e9, 1e9}, {180e9, 300e6}} {
		if p := c.Phases[i]; !(math.Abs(float64(p.From)-want.from) <= 2e9) || !near(float64(p.Rate), want.rate) {
			t.Errorf("level %d is %+v, want %+v", i, p, want)
		}
	}
	if got := c.Levels(unit.Decimal); got != "the first 120 GB at 2\u00a0000 MB/s, then 1\u00a0000 MB/s up to 180 GB, "+
		"then 300 MB/s" {
		t.Errorf("%q", got)
	}
}
