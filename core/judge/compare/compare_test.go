package compare

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/judge/factor"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/recorded"
)

// under is a session under conditions, with so many repeats of a write.
func under(name string, conditions map[string]string, rates ...float64) *session.Session {
	s := recorded.Through(name, map[book.Role]string{book.Host: "cabin", book.Drive: "sandpiper"}, rates...)
	s.Conditions = conditions
	return s
}

func only(t *testing.T, c Comparison) Contrast {
	t.Helper()
	if len(c.Rows) != 1 || c.Rows[0].Contrasts[1] == nil {
		t.Fatalf("rows are %+v", c.Rows)
	}
	return *c.Rows[0].Contrasts[1]
}

func TestContrasts(t *testing.T) {
	cases := []struct {
		name      string
		one       []float64
		other     []float64
		verdict   Verdict
		ratio     float64
		mostSeen  float64
		leastSeen float64
	}{
		{"clearly faster", []float64{1000, 1010, 990}, []float64{1220, 1230, 1210}, Better, 1.22, 0.05, 0.005},
		{"clearly slower", []float64{1000, 1010, 990}, []float64{500, 505, 495}, Worse, 0.5, 0.05, 0.005},
		{"within the noise", []float64{1000, 1100, 900}, []float64{1010, 920, 1080}, NoDifference, 1, 0.5, 0.05},
		{"the same to the byte", []float64{1000, 1000, 1000}, []float64{1000, 1000, 1000}, NoDifference, 1, 0.001,
			1e-5},
	}
	for _, c := range cases {
		made, err := New([]*session.Session{under("a", nil, c.one...), under("b", nil, c.other...)}, Terms{})
		if err != nil {
			t.Fatal(err)
		}
		got := only(t, made)
		if got.Verdict != c.verdict || !(math.Abs(got.Ratio-c.ratio) <= 0.01) || got.Basis != Repeats {
			t.Errorf("%s: %+v", c.name, got)
		}
		if got.Detectable > c.mostSeen || got.Detectable < c.leastSeen || got.Low > got.Ratio || got.High < got.Ratio {
			t.Errorf("%s: would have seen %.4f, interval %.4f to %.4f", c.name, got.Detectable, got.Low, got.High)
		}
	}
}

// The interval holds the true ratio in 95 of 100 comparisons, and where there is no
// difference, one is seen in no more than 5 of 100.
func TestIntervalsHoldWhatTheySay(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for _, truth := range []float64{1, 1.05} {
		const tries = 2000
		inside := 0
		for range tries {
			draw := func(mean float64) []float64 {
				var rates []float64
				for range 4 {
					rates = append(rates, mean*math.Exp(0.03*r.NormFloat64()))
				}
				return rates
			}
			made, err := New([]*session.Session{under("a", nil, draw(1e9)...), under("b", nil, draw(truth*1e9)...)}, Terms{})
			if err != nil {
				t.Fatal(err)
			}
			if c := only(t, made); c.Low <= truth && truth <= c.High {
				inside++
			}
		}
		if share := float64(inside) / tries; share < 0.935 || share > 0.975 {
			t.Errorf("at a true ratio of %v the interval holds it in %.1f %%", truth, share*100)
		}
	}
}

func TestASinglePassIsNotQuotedAsTheTruth(t *testing.T) {
	one, other := under("a", nil, 1e9), under("b", nil, 1.2e9)
	made, err := New([]*session.Session{one, other}, Terms{})
	if err != nil {
		t.Fatal(err)
	}
	if c := only(t, made); c.Verdict != NotKnown || c.Low != 0 || c.Interval() != "not repeated" {
		t.Errorf("two short passes give %+v", c)
	}
	one.Passes[0].Throughput = &session.RateInterval{Low: 0.99e9, High: 1.01e9}
	other.Passes[0].Throughput = &session.RateInterval{Low: 1.19e9, High: 1.21e9}
	made, _ = New([]*session.Session{one, other}, Terms{})
	if c := only(t, made); c.Verdict != Better || c.Basis != OnePass ||
		!strings.Contains(made.Verdicts[0], "single pass") {
		t.Errorf("two long passes give %+v, %q", c, made.Verdicts)
	}
}

func TestConfounded(t *testing.T) {
	base := under("base", map[string]string{"fan": "off", "os": "older", "ambient": "23C"}, 1e9, 1e9)
	cases := []struct {
		name       string
		other      *session.Session
		confounded bool
		want       string
	}{
		{"one thing", under("b", map[string]string{"fan": "on", "os": "older", "ambient": "24C"}, 1e9, 1e9), false,
			"only fan differs"},
		{"two things", under("b", map[string]string{"fan": "on", "os": "newer", "ambient": "24C"}, 1e9, 1e9), true,
			"measure with fan=on, os=older"},
		{"warmer air too", under("b", map[string]string{"fan": "on", "os": "older", "ambient": "31C"}, 1e9, 1e9),
			true, "ambient=31C"},
		{"not said is no difference", under("b", map[string]string{"fan": "on"}, 1e9, 1e9), false, ""},
	}
	for _, c := range cases {
		made, err := New([]*session.Session{base, c.other}, Terms{})
		if err != nil {
			t.Fatal(err)
		}
		text := strings.Join(made.Verdicts, " ")
		for _, finding := range made.Findings {
			text += " " + finding.Summary + " " + finding.Advice
		}
		if (len(made.Findings) == 1) != c.confounded || !strings.Contains(text, c.want) {
			t.Errorf("%s: %q", c.name, text)
		}
	}
}

func TestAnotherEnclosureBringsItsFirmware(t *testing.T) {
	one := recorded.Through("a", map[book.Role]string{book.Enclosure: "limpet", book.Drive: "sandpiper"}, 1e9, 1e9)
	other := recorded.Through("b", map[book.Role]string{book.Enclosure: "barnacle", book.Drive: "sandpiper"}, 2e9, 2e9)
	one.Parts[0].Firmware, other.Parts[0].Firmware = "1.03", "2.1"
	made, err := New([]*session.Session{one, other}, Terms{})
	if err != nil || len(made.Findings) != 0 || len(made.Differences) != 2 || !made.Differences[1].Follows {
		t.Errorf("differences %+v, findings %+v, %v", made.Differences, made.Findings, err)
	}
	newer := recorded.Through("c", map[book.Role]string{book.Enclosure: "limpet", book.Drive: "sandpiper"}, 1e9, 1e9)
	newer.Parts[0].Firmware = "1.04"
	if made, _ = New([]*session.Session{one, newer}, Terms{}); made.Differences[0].Follows ||
		!strings.Contains(made.Verdicts[0], "only enclosure firmware differs") {
		t.Errorf("before and after an update: %+v, %q", made.Differences, made.Verdicts)
	}
}

func TestNothingInCommon(t *testing.T) {
	one, other := under("a", nil, 1e9), under("b", nil, 1e9)
	other.Passes[0].Block = 4 * unit.KiB
	_, err := New([]*session.Session{one, other}, Terms{})
	if err == nil || !strings.Contains(err.Error(), "a has write sequential 1 MiB, depth 8") ||
		!strings.Contains(err.Error(), "b has write sequential 4 KiB") {
		t.Errorf("error is %v", err)
	}
	// A burst is not held against minutes of writing.
	long := under("c", nil, 1e9)
	long.Passes[0].ElapsedSeconds = 300
	if _, err := New([]*session.Session{one, long}, Terms{}); err == nil || !strings.Contains(err.Error(), "sustained") {
		t.Errorf("a burst against a long pass: %v", err)
	}
}

func TestLatencyIsComparedWhereOperationsArriveOnASchedule(t *testing.T) {
	one, other := under("a", nil, 1e6, 1e6), under("b", nil, 1e6, 1e6)
	for i := range 2 {
		for s, p99 := range map[*session.Session]float64{one: 1e-3, other: 2e-3} {
			s.Passes[i].Rate, s.Passes[i].Latency.P99 = 1000, p99*(1+0.01*float64(i))
		}
	}
	made, err := New([]*session.Session{one, other}, Terms{})
	if err != nil {
		t.Fatal(err)
	}
	if c := only(t, made); made.Rows[0].Metric != Latency || c.Verdict != Worse ||
		made.Rows[0].Words(1) != "2.0 times as long" {
		t.Errorf("%+v, %s", c, made.Rows[0].Words(1))
	}
}

func TestEffectHoldsAllElseEqual(t *testing.T) {
	var sessions []*session.Session
	for i, drive := range []string{"sandpiper", "dunlin", "curlew"} {
		base := 500e6 * float64(i+1)
		for fan, gain := range map[string]float64{"off": 1, "on": 1.2 + 0.02*float64(i)} {
			s := recorded.Through(drive+"-"+fan, map[book.Role]string{book.Drive: drive}, base*gain, base*gain*1.01,
				base*gain*0.99)
			s.Conditions = map[string]string{"fan": fan}
			sessions = append(sessions, s)
		}
	}
	lone := recorded.Through("turnstone-on", map[book.Role]string{book.Drive: "turnstone"}, 200e6)
	lone.Conditions = map[string]string{"fan": "on"}
	effect, err := EffectOf("fan", "off", append(sessions, lone))
	if err != nil || len(effect.Groups) != 3 || len(effect.Loads) != 1 {
		t.Fatalf("%+v, %v", effect, err)
	}
	got := effect.Loads[0].Effects[0]
	if got.Value != "on" || got.Groups != 3 || !(math.Abs(got.Ratio-1.22) <= 0.005) || got.Verdict != Better ||
		got.Low > 1.2 || got.High < 1.24 {
		t.Errorf("the effect is %+v", got)
	}
	if len(effect.Alone) != 1 || !strings.Contains(effect.Alone[0], "turnstone-on") {
		t.Errorf("left out are %q", effect.Alone)
	}
}

func TestEffectOfFill(t *testing.T) {
	s := under("ladder", nil, 1e9, 1e9, 0.7e9, 0.7e9)
	for i := range s.Passes {
		s.Passes[i].FillShare = []float64{0, 0, 0.9, 0.9}[i]
	}
	effect, err := EffectOf(factor.Fill, "", []*session.Session{s})
	if err != nil || len(effect.Loads) != 1 || !(math.Abs(effect.Loads[0].Effects[0].Ratio-0.7) <= 0.01) ||
		effect.Loads[0].Effects[0].Value != "90%" {
		t.Errorf("%+v, %v", effect, err)
	}
}

func TestEffectsThatCannotBeTold(t *testing.T) {
	off, on := under("a", map[string]string{"fan": "off", "os": "older"}, 1e9, 1e9),
		under("b", map[string]string{"fan": "on", "os": "newer"}, 1e9, 1e9)
	for key, want := range map[string]string{"fan": "differ in os too", "drive": "all of these sessions that say " +
		"have drive=sandpiper", "tide": "no session says its tide"} {
		if _, err := EffectOf(key, "", []*session.Session{off, on}); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q in it", key, err, want)
		}
	}
	on.Conditions["os"] = "older"
	if _, err := EffectOf("fan", "sideways", []*session.Session{off, on}); err == nil ||
		!strings.Contains(err.Error(), "there are off, on") {
		t.Errorf("an unknown baseline: %v", err)
	}
}
