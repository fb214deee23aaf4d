package predict

import (
	"math"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/judge/explain"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// chainOf is one hop of a standard.
func chainOf(t *testing.T, name string) link.Chain {
	t.Helper()
	chain, err := link.ParseChain(name)
	if err != nil {
		t.Fatal(err)
	}
	return chain
}

// written is a session of a drive rated at 2.9 GB/s that wrote 100 GB at a rate, and then
// at 200 MB/s.
func written(t *testing.T, through string, fast float64) *session.Session {
	l := load.New(load.Write, load.Sequential, unit.MiB, 8)
	l.Sustained = true
	p := session.Pass{Step: "sustain", Load: l, AskedSeconds: 400}
	for p.Bytes < 130*unit.GB {
		rate := fast
		if p.Bytes >= 100*unit.GB {
			rate = 200e6
		}
		p.ElapsedSeconds++
		p.Bytes += unit.Bytes(rate)
		p.Samples = append(p.Samples, session.Sample{TSeconds: p.ElapsedSeconds, ElapsedSeconds: 1,
			Bytes: unit.Bytes(rate), BytesPerSecond: unit.BytesPerSecond(rate)})
	}
	p.BytesPerSecond = unit.BytesPerSecond(float64(p.Bytes) / p.ElapsedSeconds)
	return &session.Session{ID: "a", Chain: chainOf(t, through), Passes: []session.Pass{p},
		Conditions: map[string]string{explain.StorageCondition: explain.StorageDrive},
		Parts:      []book.Part{{Kind: book.Drive, Name: "sandpiper", Ratings: book.Ratings{SequentialWrite: 2900e6}}}}
}

// A fast write area holds as many bytes behind any link.
func TestAmountsInAnotherChain(t *testing.T) {
	near := func(got, want float64) bool { return math.Abs(got/want-1) <= 0.03 }
	s := written(t, "pcie 3.0 x4", 2000e6)
	usable, _ := chainOf(t, "usb 3.2 gen 2").Usable()
	middle := float64(usable.Low+usable.High) / 2
	made := Amounts(s, chainOf(t, "usb 3.2 gen 2"), []unit.Bytes{150 * unit.GB})
	if len(made) != 1 {
		t.Fatalf("%+v", made)
	}
	got := made[0]
	if !near(got.Measured.Seconds, 50+250) || !near(got.Expected.Seconds, 100e9/middle+250) ||
		!near(got.Expected.Low, 100e9/float64(usable.High)+250) || !near(got.Expected.High, 100e9/float64(usable.Low)+250) {
		t.Errorf("%+v", got)
	}
	// In a wider chain it is as it was: the drive was the limit.
	if got := Amounts(s, chainOf(t, "pcie 4.0 x4"), []unit.Bytes{150 * unit.GB})[0].Expected; !near(got.Seconds, 300) ||
		got.Low > 300 || got.High != 0 && got.High < 295 {
		t.Errorf("in a wider one: %+v", got)
	}
}

// Where the old chain was the limit, the drive may do what it is rated at; its slow level
// stays.
func TestAmountsOfADriveThatWasHeld(t *testing.T) {
	usable, _ := chainOf(t, "usb 3.2 gen 2").Usable()
	held := float64(usable.Low+usable.High) / 2
	s := written(t, "usb 3.2 gen 2", held)
	got := Amounts(s, chainOf(t, "pcie 4.0 x4"), []unit.Bytes{125 * unit.GB})[0].Expected
	if least := 100e9/2900e6 + 125; !(math.Abs(got.Low/least-1) <= 0.06) || got.Seconds < 1.3*got.Low {
		t.Errorf("%+v, want at least %v s", got, least)
	}
}

func TestRatingsInAChain(t *testing.T) {
	drive := book.Part{Kind: book.Drive, Name: "dunlin", Ratings: book.Ratings{SequentialRead: 3500e6,
		SequentialWrite: 500e6,
		RandomReadIOPS:  400_000}}
	chain := chainOf(t, "usb 3.2 gen 2")
	usable, _ := chain.Usable()
	rated := FromRatings(drive, chain)
	if len(rated) != 3 {
		t.Fatalf("%+v", rated)
	}
	if r := rated[0]; r.Binds != ByHop || r.Expected != usable {
		t.Errorf("reads: %+v", r)
	}
	if r := rated[1]; r.Binds != ByDrive || r.Expected.Low != 500e6 || r.Expected.High != 500e6 {
		t.Errorf("writes: %+v", r)
	}
	if r := rated[2]; r.IOPS != 400_000 || r.Rating != 400_000*4096 || r.Binds != ByHop {
		t.Errorf("random reads: %+v", r)
	}
	if r := FromRatings(drive, link.NewChain())[0]; r.Binds != ByUnknown || r.Expected.High != 3500e6 {
		t.Errorf("without a chain: %+v", r)
	}
	if len(FromRatings(book.Part{}, chain)) != 0 {
		t.Error("a drive without ratings")
	}
}
