package value

import (
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

func bench(t *testing.T) book.Book {
	t.Helper()
	parsed, err := book.Parse("b", []byte(`currency: EUR
hosts:
  deck: {ports: {side: usb 3.2 gen 2}, price: 800}
enclosures:
  limpet: {link: usb 3.2 gen 2, inside: pcie 3.0 x4, price: 39, extras: {cable: 6}}
drives:
  curlew: {link: sata 3, capacity: 500GB, price: 38, ratings: {sequential-read: 560MB/s, sequential-write: 510MB/s}}
  sandpiper: {link: pcie 3.0 x4, capacity: 1000GB, price: 84, price-kind: street, price-date: 2026-05-01,
    ratings: {sequential-read: 3400MB/s, sequential-write: 2900MB/s, endurance: 600TB}}
  dunlin: {link: pcie 3.0 x4, capacity: 2000GB, price: 109,
    ratings: {sequential-read: 3500MB/s, sequential-write: 3000MB/s}}
`))
	if err != nil {
		t.Fatal(err)
	}
	return parsed
}

// Before anything is bought: what the chain lets through of ratings, and what more money
// buys there.
func TestCandidatesAreJudgedFromRatings(t *testing.T) {
	made, err := Candidates([]string{"dunlin+limpet", "curlew+limpet", "sandpiper+limpet"},
		Terms{Book: bench(t), Through: "deck"}, unit.Decimal)
	if err != nil || len(made.Offers) != 3 || len(made.Steps) != 2 {
		t.Fatalf("%+v, %v", made, err)
	}
	if o := made.Offers[0]; o.Label != "curlew + limpet" || !o.FromRatings || o.Price != 83 || o.Extras != 6 {
		t.Errorf("the cheapest is %+v", o)
	}
	reads := func(at int) Worth {
		w, _ := made.Offers[at].For(Reads)
		return w
	}
	if w := reads(0); w.Rate > 560e6 || w.Rate < 500e6 {
		t.Errorf("the slow one reads at %v", w.Rate)
	}
	if a, b := reads(1), reads(2); a.Rate != b.Rate || a.HeldBy != "deck side" || a.Rate > 1.1e9 || a.Rating != 3400e6 {
		t.Errorf("the fast ones read at %v and %v, held by %q", a.Rate, b.Rate, a.HeldBy)
	}
	last := made.Steps[1]
	for _, want := range []string{"buys 1 TB more, and nothing for reads, writes: deck side carries no more",
		"From ratings: nothing was measured"} {
		if !strings.Contains(last.Verdict, want) {
			t.Errorf("%q, want %q in it", last.Verdict, want)
		}
	}
	for _, bundle := range []string{"nonesuch", "limpet", "deck+"} {
		if _, err := Candidates([]string{bundle}, Terms{Book: bench(t)}, unit.Decimal); err == nil {
			t.Errorf("%q is a candidate", bundle)
		}
	}
}

// falling is a session of a long write that falls from a rate to another one.
func falling(name string, part book.Part, fast, slow float64) *session.Session {
	l := load.New(load.Write, load.Sequential, unit.MiB, 8)
	l.Sustained = true
	p := session.Pass{Step: "sustain", Load: l, AskedSeconds: 300, ElapsedSeconds: 300}
	for i := 1; i <= 300; i++ {
		rate := fast
		if i > 100 {
			rate = slow
		}
		p.Bytes += unit.Bytes(rate)
		p.Samples = append(p.Samples, session.Sample{TSeconds: float64(i), ElapsedSeconds: 1, Bytes: unit.Bytes(rate),
			BytesPerSecond: unit.BytesPerSecond(rate)})
	}
	p.BytesPerSecond = unit.BytesPerSecond(float64(p.Bytes) / 300)
	return &session.Session{ID: name, Name: name, Parts: []book.Part{part}, Passes: []session.Pass{p},
		Target:     session.Target{CapacityBytes: part.Capacity},
		Conditions: map[string]string{explain.StorageCondition: explain.StorageDrive}}
}

func TestMoneyBuysTimeCapacityAndYears(t *testing.T) {
	parts := bench(t)
	small, _ := parts.Part("sandpiper")
	large, _ := parts.Part("dunlin")
	a, b := falling("a", small, 1e9, 500e6), falling("b", large, 1e9, 200e6)
	b.Findings = []session.Finding{{Kind: finding.DropoutKind}}
	terms := Terms{Book: parts, Amounts: []unit.Bytes{200 * unit.GB}, Daily: 100 * unit.GB}
	made, err := Of([]*session.Session{a, b}, terms, unit.Decimal)
	if err != nil || len(made.Offers) != 2 || made.Currency != "EUR" {
		t.Fatalf("%+v, %v", made, err)
	}
	cheap, dear := made.Offers[0], made.Offers[1]
	if !(math.Abs(cheap.Years-600e12/100e9/365.25) <= 0.01) || cheap.PriceKinds[0] != "street" ||
		cheap.PricedOn[0] != "2026-05-01" || dear.Years != 0 {
		t.Errorf("lasts %v years; prices are %v of %v", cheap.Years, cheap.PriceKinds, cheap.PricedOn)
	}
	if writes, _ := dear.For(Writes); !(math.Abs(float64(writes.Rate)/1e9-1) <= 0.02) {
		t.Errorf("it writes at %v: the mean of two levels is that of no state", writes.Rate)
	}
	if steady, _ := dear.For(SteadyWrites); !(math.Abs(float64(steady.Rate)/200e6-1) <= 0.02) {
		t.Errorf("in the end it writes at %v", steady.Rate)
	}
	if !(math.Abs(cheap.Times[0].Seconds-300) <= 6) || !(math.Abs(dear.Times[0].Seconds-600) <= 12) {
		t.Errorf("200 GB take %v and %v s", cheap.Times[0].Seconds, dear.Times[0].Seconds)
	}
	step := made.Steps[0]
	if step.Capacity != unit.TB || !(math.Abs(step.BreakEven/(84*0.4)-1) <= 0.03) || step.BreakEvenFor != "steady writes" {
		t.Errorf("the step is %+v", step)
	}
	for _, want := range []string{"1 TB more", "200 GB (10 min instead of 5 min)"} {
		if !strings.Contains(step.Verdict, want) {
			t.Errorf("%q, want %q in it", step.Verdict, want)
		}
	}
	if !strings.Contains(dear.Failures, "b vanished once") || cheap.Failures != "" {
		t.Errorf("failures are %q and %q", dear.Failures, cheap.Failures)
	}
}

func TestTheHostCountsWhereItIsAsked(t *testing.T) {
	parts := bench(t)
	drive, _ := parts.Part("sandpiper")
	host, _ := parts.Part("deck")
	s := falling("a", drive, 1e9, 500e6)
	s.Parts = append(s.Parts, host)
	for with, want := range map[bool]float64{false: 84, true: 884} {
		made, err := Of([]*session.Session{s}, Terms{Book: parts, WithHost: with}, unit.Decimal)
		if err != nil || made.Offers[0].Price != want {
			t.Errorf("with the host %v: %v, want %v; %v", with, made.Offers[0].Price, want, err)
		}
	}
}
