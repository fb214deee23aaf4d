package value

import (
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/judge/predict"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// priced is a session of a drive in an enclosure that cost something.
func priced(name, drive string, price float64, reads, writes float64) *session.Session {
	s := &session.Session{ID: name, Name: name, Parts: []book.Part{
		{Kind: book.Enclosure, Name: "limpet", Price: 39}, {Kind: book.Drive, Name: drive, Price: price,
			Capacity: 2e12},
	}}
	for i, rate := range []float64{reads, writes} {
		s.Passes = append(s.Passes, session.Pass{
			Index: i, Load: load.Load{Operation: []load.Operation{load.Read, load.Write}[i], Access: load.Sequential,
				Block: unit.MiB, Depth: 8}, ElapsedSeconds: 5,
			BytesPerSecond: unit.BytesPerSecond(rate),
			Samples: []session.Sample{{TSeconds: 5, ElapsedSeconds: 5, Bytes: unit.Bytes(5 * rate),
				Readings: map[string]float64{"power_watts": 5}}},
		})
	}
	return s
}

func TestValue(t *testing.T) {
	cheap, dear := priced("a", "dunlin", 61, 1000e6, 500e6), priced("b", "sandpiper", 161, 1010e6, 1000e6)
	value, err := Of([]*session.Session{dear, cheap}, Terms{}, unit.Decimal)
	if err != nil || len(value.Offers) != 2 || len(value.Steps) != 1 {
		t.Fatalf("%+v, %v", value, err)
	}
	first := value.Offers[0]
	reads, _ := first.For(Reads)
	if first.Price != 100 || first.PricePerTB != 50 || reads.Price != 0.1 || reads.BytesPerJoule != 200e6 ||
		reads.JoulesPerGB() != 5 {
		t.Errorf("the cheaper offer is %+v with %+v", first, reads)
	}
	step := value.Steps[0]
	if step.Price != 100 || !step.Gains[0].Nothing || step.Gains[1].Nothing || step.Gains[1].Share != 1 ||
		step.Verdict != "From dunlin + limpet to sandpiper + limpet, 100 more buys 500 MB/s more for writes (+100 "+
			"%), and nothing for reads. At 200 it would cost as much for writes as the cheaper one." {
		t.Errorf("the step is %+v", step)
	}
}

func TestValueThroughANarrowChain(t *testing.T) {
	parts, err := book.Parse("b", []byte("hosts:\n  deck:\n    ports: {side: usb 3.2 gen 1}\ndrives:\n  dunlin: "+
		"{link: pcie 3.0 x4, price: 70}\n  sandpiper: {link: pcie 3.0 x4, price: 161}\n"))
	if err != nil {
		t.Fatal(err)
	}
	value, err := Of([]*session.Session{priced("a", "dunlin", 61, 900e6, 700e6),
		priced("b", "sandpiper", 161, 1010e6, 1000e6)}, Terms{Book: parts, Through: "deck"}, unit.Decimal)
	if err != nil || len(value.Steps) != 1 {
		t.Fatalf("%+v, %v", value, err)
	}
	if value.Offers[0].Price != 109 || !strings.Contains(value.Steps[0].Verdict, "91 more buys nothing for reads, "+
		"writes: deck side carries no more") {
		t.Errorf("the price is %v; %s", value.Offers[0].Price, value.Steps[0].Verdict)
	}
	unknown := priced("c", "godwit", 0, 1e9, 1e9)
	if value, _ := Of([]*session.Session{unknown}, Terms{}, unit.Decimal); value.Priced() ||
		value.Offers[0].PricePerTB != 0 {
		t.Errorf("a drive without a price is %+v", value)
	}
	if _, err := Of([]*session.Session{{ID: "x"}}, Terms{}, unit.Decimal); err == nil {
		t.Error("a session without a drive has a value")
	}
}

func TestSteadyWritesAreWhatRemains(t *testing.T) {
	s := priced("a", "dunlin", 61, 1e9, 1e9)
	long := session.Pass{Index: 2, Load: load.Load{Operation: load.Write, Access: load.Sequential, Block: unit.MiB,
		Depth: 8}, ElapsedSeconds: 100, BytesPerSecond: 600e6}
	for second := 1; second <= 100; second++ {
		rate := unit.Bytes(1000e6)
		if second > 50 {
			rate = 200e6
		}
		long.Samples = append(long.Samples, session.Sample{TSeconds: float64(second), ElapsedSeconds: 1, Bytes: rate})
	}
	s.Passes = append(s.Passes, long)
	value, err := Of([]*session.Session{s}, Terms{}, unit.Decimal)
	if steady, ok := value.Offers[0].For(SteadyWrites); err != nil || !ok || steady.Rate != 200e6 {
		t.Errorf("steady writes are %+v, %v", steady, err)
	}
}

func TestValueOfVolumesIsAMonth(t *testing.T) {
	volume := func(name string, price, rate float64) *session.Session {
		s := &session.Session{ID: name, Name: name,
			Parts: []book.Part{{Kind: book.Volume, Name: name, PriceMonth: price, Capacity: 500e9}}}
		s.Passes = []session.Pass{{Load: load.Load{Operation: load.Read, Access: load.Random, Block: unit.MiB,
			Depth: 8}, ElapsedSeconds: 5, BytesPerSecond: unit.BytesPerSecond(rate)}}
		return s
	}
	value, err := Of([]*session.Session{volume("steady", 61, 250e6), volume("burst", 44, 125e6),
		priced("drive", "dunlin", 61, 1e9, 1e9)}, Terms{}, unit.Decimal)
	if err != nil || len(value.Offers) != 3 || len(value.Steps) != 1 {
		t.Fatalf("%+v, %v", value, err)
	}
	if step := value.Steps[0]; step.Verdict != "From burst to steady, 17 more a month buys 125 MB/s more for reads "+
		"(+100 %). At 88 it would cost as much for reads as the cheaper one." || value.Offers[1].PricePerTB != 88 {
		t.Errorf("%+v, a TB costs %v", step, value.Offers[1].PricePerTB)
	}
}

// What value expects of a drive in another chain is what foresee expects of it there.
func TestValueAndForeseeSayTheSame(t *testing.T) {
	parts, err := book.Parse("b", []byte("hosts:\n  deck:\n    ports: {side: usb 3.2 gen 1, back: usb 3.2 gen 2x2}\n"+
		"drives:\n  dunlin: {link: pcie 3.0 x4, price: 70, ratings: {sequential-read: 3400MB/s}}\n"))
	if err != nil {
		t.Fatal(err)
	}
	held, err := link.ParseChain("usb 3.2 gen 2 > pcie 3.0 x4")
	if err != nil {
		t.Fatal(err)
	}
	for _, chain := range []link.Chain{held, link.NewChain()} {
		for _, through := range []string{"deck.side", "deck.back"} {
			s := priced("a", "dunlin", 70, 1042e6, 700e6)
			s.Chain = chain
			value, err := Of([]*session.Session{s}, Terms{Book: parts, Through: through}, unit.Decimal)
			if err != nil {
				t.Fatal(err)
			}
			setup, err := parts.ResolveWith(through, "limpet", "dunlin")
			if err != nil {
				t.Fatal(err)
			}
			for i, use := range []Use{Reads, Writes} {
				worth, _ := value.Offers[0].For(use)
				foreseen := predict.New(s, setup.Chain).Passes[i]
				if worth.Expected == nil || *worth.Expected != foreseen.Expected {
					t.Errorf("%s through %s: value expects %+v, foresee %+v", use, through, worth.Expected, foreseen.Expected)
				}
			}
		}
	}
}
