package compare

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/judge/explain"
	"opengauge/core/judge/finding"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// stretch is so many seconds at a rate.
type stretch struct {
	seconds int
	rate    float64
}

// writing is a session of one sustained write, a sample a second.
func writing(name string, stretches ...stretch) *session.Session {
	l := load.New(load.Write, load.Sequential, unit.MiB, 8)
	l.Sustained = true
	p := session.Pass{Step: "sustain", Load: l, AskedSeconds: 300}
	for _, each := range stretches {
		for range each.seconds {
			p.ElapsedSeconds++
			p.Bytes += unit.Bytes(each.rate)
			p.Samples = append(p.Samples, session.Sample{TSeconds: p.ElapsedSeconds, ElapsedSeconds: 1,
				Bytes: unit.Bytes(each.rate), BytesPerSecond: unit.BytesPerSecond(each.rate)})
		}
	}
	p.BytesPerSecond = unit.BytesPerSecond(float64(p.Bytes) / p.ElapsedSeconds)
	return &session.Session{ID: name, Name: name, Passes: []session.Pass{p},
		Conditions: map[string]string{explain.StorageCondition: explain.StorageDrive},
		Parts:      []book.Part{{Kind: book.Drive, Name: name}}}
}

func near(got, want float64) bool { return math.Abs(got-want) <= 0.02*want }

// Writes that fall for good have no ratio of means, but times, levels and a crossing.
func TestLevelsAreComparedByAmounts(t *testing.T) {
	fast, even := writing("fast", stretch{100, 1e9}, stretch{200, 200e6}), writing("even", stretch{700, 500e6})
	made, err := New([]*session.Session{fast, even}, Terms{Amounts: []unit.Bytes{300 * unit.GB}})
	if err != nil || len(made.Amounts) != 1 {
		t.Fatalf("%+v, %v", made, err)
	}
	if c := only(t, made); c.Verdict != ByAmount || c.Ratio != 0 || !made.Rows[0].ByAmount {
		t.Errorf("the row is %+v", made.Rows[0])
	}
	if len(made.Crossings) != 1 || !near(float64(made.Crossings[0].Amount), 400e9/3) ||
		made.Crossings[0].AheadBefore != "fast" || made.Crossings[0].AheadAfter != "even" {
		t.Errorf("crossings are %+v", made.Crossings)
	}
	times := map[string]float64{}
	for _, m := range made.Moves {
		if m.Amount == 300*unit.GB {
			times[m.Session] = m.Seconds
		}
	}
	if !near(times["fast"], 1100) || !near(times["even"], 600) {
		t.Errorf("times are %v", times)
	}
	if len(made.Levels) != 2 || len(made.Levels[0].Levels) != 2 {
		t.Fatalf("levels are %+v", made.Levels)
	}
	if slow := made.Levels[0].Levels[1]; !near(float64(slow.From), 100e9) || !near(float64(slow.Rate), 200e6) {
		t.Errorf("levels are %+v", made.Levels)
	}
	for _, want := range []string{"300 GB take 10 min instead of 18 min 20 s",
		"fast is ahead up to 133 GB, and even beyond", "only drive differs"} {
		if !strings.Contains(made.Verdicts[0], want) {
			t.Errorf("%q, want %q in it", made.Verdicts[0], want)
		}
	}
	if document, err := json.Marshal(made); err != nil || !strings.Contains(string(document), `"ahead_before":"fast"`) {
		t.Errorf("as JSON: %v", err)
	}
}

func TestSteadyLoadsAreComparedByRatesUnlessAmountsAreAsked(t *testing.T) {
	a, b := writing("a", stretch{120, 1e9}), writing("b", stretch{120, 500e6})
	made, err := New([]*session.Session{a, b}, Terms{})
	if err != nil || len(made.Amounts) != 0 || only(t, made).Verdict == ByAmount {
		t.Errorf("%+v, %v", made.Amounts, err)
	}
	made, err = New([]*session.Session{a, b}, Terms{Amounts: []unit.Bytes{50 * unit.GB}})
	if err != nil || len(made.Moves) < 2 || only(t, made).Verdict == ByAmount {
		t.Errorf("%+v, %v", made.Moves, err)
	}
}

// What is over once an amount is moved is compared by its time.
func TestTimesAreTheHeadlineOfWhatEndsWithAnAmount(t *testing.T) {
	until := func(name string, rates ...float64) *session.Session {
		s := under(name, nil, rates...)
		for i := range s.Passes {
			p := &s.Passes[i]
			p.AskedBytes, p.Bytes = 40*unit.GB, 40*unit.GB
			p.ElapsedSeconds = 40e9 / rates[i]
		}
		return s
	}
	made, err := New([]*session.Session{until("a", 1e9, 1.01e9, 0.99e9), until("b", 2e9, 2.01e9, 1.99e9)}, Terms{})
	if err != nil {
		t.Fatal(err)
	}
	if c := only(t, made); made.Rows[0].Metric != Time || c.Verdict != Better || !near(c.Ratio, 0.5) ||
		!strings.Contains(made.Verdicts[0], "20 s instead of 40 s (50 % shorter)") {
		t.Errorf("%+v, %q", c, made.Verdicts[0])
	}
	other := until("c", 1e9, 1e9)
	for i := range other.Passes {
		other.Passes[i].AskedBytes = 80 * unit.GB
	}
	if _, err := New([]*session.Session{until("a", 1e9), other}, Terms{}); err == nil {
		t.Error("40 GB are held against 80 GB")
	}
}

// A device that vanished is told before any rate, also where no load is shared.
func TestWhatFailedIsCompared(t *testing.T) {
	held, failed := writing("held", stretch{120, 1e9}), writing("failed", stretch{60, 1e9})
	failed.Passes[0].CutShort = true
	terms := Terms{Findings: map[string][]session.Finding{"failed": {{Kind: finding.DropoutKind}}, "held": {}}}
	made, err := New([]*session.Session{held, failed}, terms)
	if err != nil || made.NotShared == "" ||
		!strings.HasPrefix(made.Verdicts[0], "failed against held: failed vanished once (60 an hour, 16.7 a TB), held "+
			"did not") {
		t.Errorf("%q, %v", made.Verdicts, err)
	}
	names := map[string]bool{}
	for _, q := range made.Quantities {
		names[q.Name] = true
		if q.Name == "dropouts" && (*q.Values[0] != 0 || *q.Values[1] != 1) {
			t.Errorf("%s are %v", q.Name, q.Texts)
		}
	}
	if !names["dropouts"] || !names["cut_short"] || names["errors"] || names["mean_power_watts"] {
		t.Errorf("quantities are %v", names)
	}
}

// The verdict is one sentence, however many loads there are.
func TestTheVerdictIsOneSentence(t *testing.T) {
	many := func(name string, rate float64) *session.Session {
		s := under(name, nil)
		for block := unit.KiB; block <= 512*unit.KiB; block *= 2 {
			for repeat := range 3 {
				l := load.New(load.Read, load.Random, block, 8)
				s.Passes = append(s.Passes, session.Pass{Index: len(s.Passes), Repeat: repeat, Load: l, AskedSeconds: 5,
					ElapsedSeconds: 5, BytesPerSecond: unit.BytesPerSecond(rate * (1 + 0.01*float64(repeat)))})
			}
		}
		return s
	}
	made, err := New([]*session.Session{many("a", 1e8), many("b", 1.5e8)}, Terms{})
	if err != nil {
		t.Fatal(err)
	}
	text := made.Verdicts[0]
	if strings.Count(text, "faster") != 1 || !strings.Contains(text, "of the other loads 9 better") {
		t.Errorf("%q", text)
	}
	alike, err := New([]*session.Session{many("a", 1e8), many("b", 1e8)}, Terms{})
	if err != nil || !strings.Contains(alike.Verdicts[0], "at any of 10 loads") {
		t.Errorf("%q, %v", alike.Verdicts, err)
	}
}

func TestQuotedFiguresStandBeside(t *testing.T) {
	quote := func(loadText, value string) book.Quote {
		q, err := book.ParseQuote("sandpiper", loadText, value)
		if err != nil {
			t.Fatal(err)
		}
		return q
	}
	s := under("a", nil, 1e9, 1e9)
	quotes := []book.Quote{quote("write sequential 1 MiB, depth 8", "2000MB/s"),
		quote("write sequential 128 KiB, depth 32, sustained", "2000MB/s"), quote("read random 4 KiB, depth 1", "9000 IOPS")}
	made, err := New([]*session.Session{s, under("b", nil, 1e9, 1e9)}, Terms{Quotes: quotes})
	if err != nil || len(made.Quoted) != 6 {
		t.Fatalf("%+v, %v", made.Quoted, err)
	}
	if q := made.Quoted[0]; !near(q.Share, 0.5) || q.Warning != "" || q.Measured != 1e9 {
		t.Errorf("the same load: %+v", q)
	}
	if q := made.Quoted[2]; !strings.Contains(q.Warning, "measured at 1 MiB, quoted at 128 KiB, depth 8, quoted at 32") ||
		!strings.Contains(q.Warning, "as a burst") {
		t.Errorf("another load: %q", q.Warning)
	}
	if q := made.Quoted[4]; q.Measured != 0 || !strings.Contains(q.Warning, "no read random") {
		t.Errorf("nothing of the kind: %+v", q)
	}
	if len(QuotedOf([]*session.Session{writing("dunlin", stretch{20, 1e9})}, quotes)) != 0 {
		t.Error("a quote of another part")
	}
}
