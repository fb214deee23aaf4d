package explain_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/judge/explain"
	"opengauge/core/load"
	"opengauge/core/record/series"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/night"
	"opengauge/lab/outside"
	"opengauge/lab/witness"
)

// part is a stretch of a made-up pass: so many seconds at a rate in MB/s, while the
// drive's temperature goes evenly to a value; 0 records none.
type part struct {
	seconds int
	rate    float64
	celsius float64
}

// made is a session of one pass of parts with 1 % of noise.
func made(operation load.Operation, storage string, start float64, parts ...part) *session.Session {
	r := rand.New(rand.NewPCG(3, 9))
	p := session.Pass{Load: load.New(operation, load.Sequential, unit.MiB, 8), Direct: true}
	celsius := start
	for _, each := range parts {
		for range each.seconds {
			celsius += (each.celsius - start) / float64(each.seconds)
			bytes := unit.Bytes(each.rate * 1e6 * (1 + 0.01*r.NormFloat64()))
			sample := session.Sample{TSeconds: p.ElapsedSeconds + 1, ElapsedSeconds: 1, Bytes: bytes,
				BytesPerSecond: unit.BytesPerSecond(bytes), TemperaturesCelsius: map[string]unit.Celsius{}}
			if each.celsius > 0 {
				sample.TemperaturesCelsius["drive"] = unit.Celsius(math.Round(celsius))
			}
			p.Samples = append(p.Samples, sample)
			p.ElapsedSeconds++
			p.Bytes += bytes
		}
		start, celsius = each.celsius, each.celsius
	}
	return &session.Session{Conditions: map[string]string{explain.StorageCondition: storage},
		Passes: []session.Pass{p}}
}

func verdictOf(s *session.Session) explain.Verdict { return explain.Pass(s, &s.Passes[0]) }

var cycles = []part{{120, 1000, 70}, {60, 400, 62}, {40, 1000, 70}, {60, 400, 62}, {40, 1000, 70}, {60, 400, 62}}

// Whatever is recorded, the shares add up to one, and no figure is none.
func TestSharesAddUp(t *testing.T) {
	night.Longer(t)
	for class, name := range outside.Names() {
		if class%3 > 0 && !night.IsOn() {
			continue
		}
		r := outside.Draw(class, 3)
		s := recording(t, r.Table, r.Writes)
		v := verdictOf(s)
		sum := 0.0
		for _, share := range v.Shares {
			sum += share.Share
			for _, fact := range share.Facts {
				if fact.Says == "" || math.IsNaN(fact.Nats) || math.IsInf(fact.Nats, 0) {
					t.Errorf("%s: %s stands on %+v", name, share.Explanation.Name, fact)
				}
			}
			curve := v.Curve(share)
			if len(curve.Seconds) == 0 || len(curve.Seconds) != len(curve.Rates) {
				t.Errorf("%s: %s draws %d points at %d times", name, share.Explanation.Name, len(curve.Rates),
					len(curve.Seconds))
			}
			for _, rate := range curve.Rates {
				if !(rate >= 0 && rate < 1e12) {
					t.Errorf("%s: %s draws %v", name, share.Explanation.Name, rate)
					break
				}
			}
		}
		if !(math.Abs(sum-1) <= 1e-9) {
			t.Errorf("%s: the shares add up to %v", name, sum)
		}
		for _, kind := range explain.Kinds {
			a, ok := v.Account(kind)
			if ok && !(a.SlowSeconds <= a.Looked+1e-6 && a.Moved >= 0 && a.Before.Low <= a.Before.Value &&
				a.Before.Value <= a.Before.High) {
				t.Errorf("%s: of %s, slow for %v of %v s, after %v bytes, at %+v", name, kind, a.SlowSeconds, a.Looked,
					a.Moved, a.Before)
			}
		}
	}
}

func recording(t testing.TB, table string, writes bool) *session.Session {
	t.Helper()
	about := series.About{Operation: load.Read, Access: load.Sequential, Block: unit.MiB, Depth: 8}
	if writes {
		about.Operation = load.Write
	}
	s, err := series.Read("r.csv", strings.NewReader(table), about)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// No cause is named from what says nothing.
func TestNothingFromNonsense(t *testing.T) {
	flat := func(n int, rate float64) *session.Session { return made(load.Write, "drive", 40, part{n, rate, 40}) }
	for name, s := range map[string]*session.Session{
		"no sample":  {Passes: []session.Pass{{}}},
		"one":        flat(1, 1000),
		"three":      flat(3, 1000),
		"a constant": flat(300, 1000),
		"zeros":      flat(300, 0),
		"zero, then": made(load.Write, "drive", 40, part{100, 0, 40}, part{5, 1000, 40}),
	} {
		v := verdictOf(s)
		for _, kind := range explain.Kinds {
			if p := v.Of(kind); p >= 0.5 {
				t.Errorf("%s: %s has %.2f", name, kind, p)
			}
		}
		if v.Healthy() < 0.5 {
			t.Errorf("%s: healthy is %.2f", name, v.Healthy())
		}
		if says, _ := v.Next(); len(v.Shares) == 0 && says != "" {
			t.Errorf("%s: proposes %q", name, says)
		}
	}
}

// Figures of the winner hold the truth within their ranges.
func TestFiguresOfHeat(t *testing.T) {
	v := verdictOf(made(load.Read, "drive", 30, cycles...))
	a, ok := v.Account(explain.HeatThrottle)
	if !ok || v.Of(explain.HeatThrottle) < 0.9 {
		t.Fatalf("heat has %.2f", v.Of(explain.HeatThrottle))
	}
	on, known := a.Figure(explain.OnFigure)
	off, alsoKnown := a.Figure(explain.OffFigure)
	if !known || !alsoKnown || !(on.Low <= 70.5 && on.High >= 69 && on.High-on.Low <= 8) ||
		!(off.Low <= 63 && off.High >= 61.5 && off.High-off.Low <= 8) {
		t.Errorf("on %+v, off %+v", on, off)
	}
	if len(a.Slow) != 3 || a.Returns != 2 || !(math.Abs(a.SlowSeconds-180) <= 4) || a.Sensor != "drive" ||
		!(math.Abs(a.Slow[0].FromSeconds-120) <= 2) || !(math.Abs(a.Before.Value/1e9-1) <= 0.01) ||
		!(math.Abs(a.After.Value/4e8-1) <= 0.01) || !(math.Abs(a.Moved/120e9-1) <= 0.02) {
		t.Errorf("%+v", a)
	}
	if _, wrong := a.Figure("none"); wrong {
		t.Error("a figure that there is none of")
	}
}

// Facts move the odds the way that they should: the same recording, with one thing
// changed.
func TestWhatMovesTheOdds(t *testing.T) {
	fall := func(storage string, operation load.Operation, end float64) *session.Session {
		return made(operation, storage, 30, part{120, 1000, end}, part{240, 400, end - 8})
	}
	of := func(s *session.Session, kind string) float64 { v := verdictOf(s); return v.Of(kind) }
	counted := func(times int64) *session.Session {
		s := fall("drive", load.Write, 72)
		reading := func(n int64) link.Reading {
			return link.Reading{Counters: map[string]int64{"nvme_light_slowdowns nvme0": n}}
		}
		s.Passes[0].Link = &link.Record{Before: reading(1), After: reading(1 + times)}
		return s
	}
	comes := func(operation load.Operation, celsius float64, lows ...float64) *session.Session {
		parts := []part{{90, 1000, celsius}}
		for i, low := range lows {
			parts = append(parts, part{40, low, celsius}, part{50 + 7*(i%3), 1000, celsius})
		}
		return made(operation, "drive", celsius, parts...)
	}
	regular := func(first int, later ...int) *session.Session {
		parts := []part{{first, 1000, 0}}
		for _, seconds := range later {
			parts = append(parts, part{60, 400, 0}, part{seconds, 1000, 0})
		}
		return made(load.Read, "drive", 0, parts...)
	}
	counting := func(others float64) *session.Session {
		s := comes(load.Read, 40, 500, 600, 400)
		all := unit.Bytes(float64(s.Passes[0].Bytes) * others)
		s.Passes[0].DeviceBytes = &all
		return s
	}
	told := func(kind string) *session.Session {
		s := made(load.Read, "drive", 40, part{150, 1040, 44}, part{200, 600, 42})
		s.Events = []session.Event{{TSeconds: 150, Kind: kind}}
		return s
	}
	for name, c := range map[string]struct {
		more, less *session.Session
		kind       string
	}{
		"rates of a ladder": {made(load.Read, "drive", 40, part{150, 1040, 44}, part{200, 445, 42}),
			made(load.Read, "drive", 40, part{150, 1180, 44}, part{200, 640, 42}), explain.LinkDegraded},
		"a moment without an answer": {made(load.Read, "drive", 40, part{150, 1040, 44}, part{3, 0, 44},
			part{200, 600, 42}), made(load.Read, "drive", 40, part{150, 1040, 44}, part{200, 600, 42}),
			explain.LinkDegraded},
		"a link that trained anew": {told("relink"), told("probe"), explain.LinkDegraded},
		"what comes and goes, and the thermometer does not mind": {comes(load.Read, 40, 500, 600, 400, 520),
			made(load.Read, "drive", 30, part{90, 1000, 55}, part{40, 500, 45}, part{50, 1000, 55}, part{40, 400, 43},
				part{57, 1000, 55}, part{40, 520, 46}, part{50, 1000, 54}), explain.BackgroundLoad},
		"traffic that was counted": {counting(1.3), counting(1), explain.BackgroundLoad},
		"no trend in what comes and goes": {comes(load.Read, 40, 500, 700, 420, 600, 520, 660),
			comes(load.Read, 40, 800, 700, 600, 500, 400, 300), explain.BackgroundLoad},
		"it began cold":  {regular(150, 40, 41, 39, 40), regular(40, 40, 41, 39, 40), explain.HeatThrottle},
		"regular cycles": {regular(40, 40, 41, 39, 40), regular(40, 15, 90, 30, 140), explain.HeatThrottle},
		"a slow thermometer": {made(load.Read, "", 41, part{200, 500, 41}, part{300, 200, 41}),
			made(load.Read, "", 30, part{200, 500, 62}, part{300, 200, 44}), explain.CreditExhausted},
		"it stood still": {made(load.Write, "drive", 30, part{150, 1000, 70}, part{100, 400, 62}),
			made(load.Write, "drive", 30, part{150, 1000, 70}, part{150, 1000, 70}, part{100, 400, 62}),
			explain.HeatThrottle},
		"a write area is not spent by reads": {fall("drive", load.Write, 44), fall("drive", load.Read, 44),
			explain.CacheExhausted},
		"an allowance is of volumes": {fall("volume", load.Read, 44), fall("drive", load.Read, 44),
			explain.CreditExhausted},
		"heat is hot":         {fall("drive", load.Write, 74), fall("drive", load.Write, 46), explain.HeatThrottle},
		"the drive counted":   {counted(3), fall("drive", load.Write, 72), explain.HeatThrottle},
		"the drive did not":   {fall("drive", load.Write, 72), counted(0), explain.HeatThrottle},
		"a cool drive's area": {fall("drive", load.Write, 46), fall("drive", load.Write, 74), explain.CacheExhausted},
		"cycles more than a dip": {made(load.Read, "drive", 30, cycles...), fall("drive", load.Read, 70),
			explain.HeatThrottle},
	} {
		if more, less := of(c.more, c.kind), of(c.less, c.kind); !(more > less+0.02) {
			t.Errorf("%s: %s has %.3f, and %.3f without", name, c.kind, more, less)
		}
	}
}

// A recording may say what it is of.
func TestWhatARecordingIsOf(t *testing.T) {
	s := made(load.Write, "", 0, part{100, 500, 0}, part{300, 200, 0})
	for storage, want := range map[string]float64{"drive": 0, "disk": 0, "volume": 1, "": 0.35} {
		s.Conditions[explain.StorageCondition] = storage
		if got := explain.ContextOf(s, &s.Passes[0]); !(got.Volume == want) || got.Disk != (storage == "disk") {
			t.Errorf("%q: %+v", storage, got)
		}
	}
	s.Conditions, s.Target.Kind = nil, "device"
	if got := explain.ContextOf(s, &s.Passes[0]); got.Volume != 0 {
		t.Errorf("a device is a volume at %v", got.Volume)
	}
}

// What the system told counts from when the pass began, and only within it.
func TestWhatTheSystemTold(t *testing.T) {
	s := made(load.Read, "drive", 40, part{100, 500, 40})
	p := &s.Passes[0]
	p.StartedSeconds = 1000
	s.Events = []session.Event{{TSeconds: 999, Kind: "reset"}, {TSeconds: 1000, Kind: "relink"},
		{TSeconds: 1040, Kind: "timeout"}, {TSeconds: 1050, Kind: "kernel"}, {TSeconds: 1100, Kind: "reset"},
		{TSeconds: 1101, Kind: "reset"}}
	if got := explain.ContextOf(s, p).Relinked; len(got) != 3 || got[0] != 0 || got[1] != 40 || got[2] != 100 {
		t.Errorf("relinked at %v", got)
	}
	for share, want := range map[float64]bool{1: false, 1.03: false, 1.08: true} {
		moved := unit.Bytes(float64(p.Bytes) * share)
		p.DeviceBytes = &moved
		if got := explain.ContextOf(s, p).Elsewhere; got != want {
			t.Errorf("the device moved %.2f of it: others %v", share, got)
		}
	}
	p.Load.WriteShare, p.Operation = 0.5, load.Mixed
	if !explain.ContextOf(s, p).Writes {
		t.Error("half of it is written")
	}
	p.Load.WriteShare = 0.4
	if explain.ContextOf(s, p).Writes {
		t.Error("less than a half is written")
	}
	counted, grown := explain.Slowdowns(p)
	if counted || grown != 0 {
		t.Errorf("nobody counted %d", grown)
	}
	p.Link = &link.Record{Before: link.Reading{Counters: map[string]int64{"nvme_heavy_slowdowns a": 4}},
		After: link.Reading{Counters: map[string]int64{"nvme_heavy_slowdowns a": 9, "other a": 7}}}
	if counted, grown := explain.Slowdowns(p); !counted || grown != 5 {
		t.Errorf("counted %v, %d", counted, grown)
	}
}

func TestPlacesOfSensors(t *testing.T) {
	for name, want := range map[string]explain.Place{
		"drive": explain.OwnSensor, "nvme0 composite": explain.OwnSensor, "controller": explain.OwnSensor,
		"case-probe": explain.ProbeSensor, "x7": explain.ProbeSensor, "host": explain.HostSensor,
		"cpu package": explain.HostSensor, "room": explain.RoomSensor, "Ambient": explain.RoomSensor,
	} {
		if got := explain.PlaceOf(name); got != want {
			t.Errorf("%s is %s, want %s", name, got, want)
		}
	}
}

// What cannot be true is not believed, and said.
func TestWhatIsNotBelieved(t *testing.T) {
	warm := func(change func(i int, c float64) float64) *session.Session {
		s := made(load.Write, "drive", 40, part{200, 1000, 60})
		for i := range s.Passes[0].Samples {
			readings := s.Passes[0].Samples[i].TemperaturesCelsius
			readings["drive"] = unit.Celsius(change(i, float64(readings["drive"])))
		}
		return s
	}
	for name, c := range map[string]struct {
		s    *session.Session
		want string
	}{
		"sound":      {warm(func(_ int, c float64) float64 { return c }), ""},
		"Fahrenheit": {warm(func(_ int, c float64) float64 { return c*9/5 + 32 }), "Fahrenheit"},
		"jumping": {warm(func(i int, c float64) float64 {
			if i%20 == 7 {
				return c + 30
			}
			return c
		}), "jumps"},
	} {
		said := strings.Join(explain.Doubts(c.s), "; ")
		if (c.want == "") != (said == "") || !strings.Contains(said, c.want) {
			t.Errorf("%s: %q", name, said)
		}
	}
}

// The test that is proposed is the one that tells the causes that are left apart.
func TestWhatToDoNext(t *testing.T) {
	for name, c := range map[string]struct {
		s    *session.Session
		want string
	}{
		"write area or allowance": {made(load.Write, "", 0, part{100, 500, 0}, part{300, 200, 0}), "repeat"},
		"heat or area":            {made(load.Write, "drive", 30, part{150, 1000, 74}, part{200, 400, 62}), "reading"},
	} {
		v := verdictOf(c.s)
		says, gain := v.Next()
		if !strings.Contains(says, c.want) || !(gain > 0.1 && gain < 2) {
			t.Errorf("%s: proposes %q for %.2f bits", name, says, gain)
		}
	}
}

func TestSilences(t *testing.T) {
	pause := func(errors int64, lengths ...int) *session.Session {
		parts := []part{}
		for _, seconds := range lengths {
			parts = append(parts, part{50, 1000, 40}, part{seconds, 0, 40})
		}
		s := made(load.Read, "drive", 40, append(parts, part{50, 1000, 40})...)
		for i := range s.Passes[0].Samples {
			if sample := &s.Passes[0].Samples[i]; sample.Bytes == 0 {
				sample.Errors = errors
			}
		}
		return s
	}
	for name, c := range map[string]struct {
		s       *session.Session
		count   int
		certain bool
	}{
		"long":            {pause(0, 10), 1, true},
		"a moment":        {pause(0, 2), 1, false},
		"with errors":     {pause(1, 3), 1, true},
		"rests":           {pause(0, 20, 20, 20), 3, false},
		"uneven outages":  {pause(0, 7, 19), 2, true},
		"rests that fail": {pause(2, 20, 20, 20), 3, true},
	} {
		v := verdictOf(c.s)
		if len(v.Silences) != c.count {
			t.Errorf("%s: %d silences", name, len(v.Silences))
			continue
		}
		if p := v.Silences[0].Probability; (p >= explain.Named) != c.certain {
			t.Errorf("%s: it did not answer at %.2f", name, p)
		}
	}
}

// Cycles of a minute are found in a day, as in a window of it.
func TestShortCyclesInALongPass(t *testing.T) {
	day := 86_400
	if !night.IsOn() {
		day /= 4
	}
	s, p := long(day)
	v := explain.Pass(s, p)
	a, ok := v.Account(explain.HeatThrottle)
	if !ok || v.Of(explain.HeatThrottle) < 0.9 || len(a.Slow) < 3 {
		t.Fatalf("heat has %.2f, %d stretches", v.Of(explain.HeatThrottle), len(a.Slow))
	}
	if on, _ := a.Figure(explain.OnFigure); !(on.Value > 67 && on.Value < 73) {
		t.Errorf("on %+v", on)
	}
}

// While a pass runs it is said what is slowing it, and what held twice is settled.
func TestFollowing(t *testing.T) {
	for _, beside := range []bool{false, true} {
		f := &explain.Follow{Beside: beside}
		s := made(load.Read, "drive", 30, cycles...)
		f.Begin(s, session.Pass{Load: s.Passes[0].Load, Direct: true})
		early := ""
		for i, sample := range s.Passes[0].Samples {
			f.Sample(sample)
			if i == 100 {
				early, _ = f.Says()
			}
			if beside && i%10 == 0 {
				time.Sleep(30 * time.Millisecond)
			}
		}
		if early != "" {
			t.Errorf("beside %v: while it was fast it said %q", beside, early)
		}
		wait(t, func() bool { text, settled := f.Says(); return strings.Contains(text, "heat 0.9") && settled >= 0.9 },
			func() string { text, settled := f.Says(); return fmt.Sprint(text, settled) })
		f.Begin(s, session.Pass{})
		if text, settled := f.Says(); text != "" || settled != 0 {
			t.Errorf("a new pass begins with %q, %v", text, settled)
		}
	}
}

func wait(t *testing.T, done func() bool, what func() string) {
	t.Helper()
	for range 200 {
		if done() {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Errorf("it says %q", what())
}

// A day of samples is followed without keeping all of them, and without long looks: a
// tenth of a second is meant, and ten times that is tested.
func TestFollowingADay(t *testing.T) {
	f := &explain.Follow{}
	seconds := 40_000
	if !night.IsOn() {
		seconds = 3_500
	}
	s, p := long(seconds)
	f.Begin(s, session.Pass{Load: p.Load})
	longest := time.Duration(0)
	for _, sample := range p.Samples {
		longest = max(longest, witness.ProcessorTime(func() { f.Sample(sample) }))
	}
	if longest > time.Second {
		t.Errorf("a look took %s of processor time", longest)
	}
	if text, _ := f.Says(); !strings.HasPrefix(text, "slowing: ") {
		t.Errorf("it says %q", text)
	}
}
