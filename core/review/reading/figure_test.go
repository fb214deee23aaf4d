package reading

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/unit"
	"opengauge/examples"
	"opengauge/lab/recorded"
)

// deciding is a review that decides by something, and its first cell.
func deciding(t *testing.T, decide string) (*review.Review, *review.Cell) {
	t.Helper()
	b, err := book.Parse(examples.BenchName, examples.Bench)
	if err != nil {
		t.Fatal(err)
	}
	r, err := review.Parse("review.yaml", []byte("review: r\nquestion: q\ncompare: {drive: [sandpiper, dunlin]}\nwith: "+
		"{enclosure: limpet}\nmeasure:\n  - {plan: long-write}\n  - {plan: quick}\n  - {copy: large-file, from: "+
		"sim:turnstone}\n"+
		"decide: {"+decide+"}\n"), b)
	if err != nil {
		t.Fatal(err)
	}
	c := r.Cells()[0]
	return &r, &c
}

// passOf is the first pass of a session with a load.
func passOf(t *testing.T, s *session.Session, operation load.Operation, access load.Access, depth int) *session.Pass {
	t.Helper()
	for i := range s.Passes {
		if p := &s.Passes[i]; p.Operation == operation && p.Access == access && p.Depth == depth {
			return p
		}
	}
	t.Fatalf("%s has no such pass", s.Name)
	return nil
}

// Figures are what the records say, added up otherwise.
func TestFiguresOfRecords(t *testing.T) {
	named := recorded.Named(t, "limpet-passive", "limpet-quick", "copies")
	long, quick, copies := named[0], named[1], named[2]
	write := passOf(t, long, load.Write, load.Sequential, 8)
	moved, seconds := float64(write.SettleBytes), write.SettleSeconds
	for _, sample := range write.Samples {
		if moved+float64(sample.Bytes) > 100e9 {
			seconds += (100e9 - moved) / float64(sample.BytesPerSecond)
			break
		}
		moved += float64(sample.Bytes)
		seconds += sample.ElapsedSeconds
	}
	watts := 0.0
	for _, sample := range write.Samples {
		watts += sample.Readings["power_watts"] / float64(len(write.Samples))
	}
	random := passOf(t, quick, load.Read, load.Random, 32)
	copied := 0.0
	for _, c := range copies.Copies {
		if c.Set == "large-file" && c.Work == session.CopyWhole {
			copied += math.Log(c.ElapsedSeconds)
		}
	}
	count := 0.0
	for _, c := range copies.Copies {
		if c.Set == "large-file" && c.Work == session.CopyWhole {
			count++
		}
	}
	for _, c := range []struct {
		decide string
		of     *session.Session
		want   float64
		within float64
	}{
		{"smallest: time, amount: 100GB, of: write", long, seconds, 0.01},
		{"largest: rate, of: write", long, float64(write.BytesPerSecond), 1e-9},
		{"largest: rate, of: \"read random 4KiB, depth 32\"", quick, float64(random.BytesPerSecond), 1e-9},
		{"largest: iops, of: \"read random 4KiB, depth 32\"", quick, random.IOPS, 1e-9},
		{"smallest: latency, of: \"read random 4KiB, depth 32\"", quick, random.Latency.P99, 1e-9},
		{"smallest: watts, of: write", long, watts, 0.02},
		{"smallest: energy, of: write", long, watts * write.ElapsedSeconds / (float64(write.Bytes) / 1e9), 0.02},
		{"smallest: price-for-rate, of: write", long, (84 + 39) / (float64(write.BytesPerSecond) / 1e6), 1e-9},
		{"smallest: price-for-iops, of: \"read random 4KiB, depth 32\"", quick, (84 + 39) / (random.IOPS / 1000), 1e-9},
		{"smallest: time, of: copy large-file", copies, math.Exp(copied / count), 1e-9},
	} {
		r, cell := deciding(t, c.decide)
		got, err := Figure(c.of, cell, &r.Decide)
		if err != nil || !(math.Abs(got/c.want-1) <= c.within) {
			t.Errorf("%s: %g, %v; want %g", c.decide, got, err, c.want)
		}
	}
}

// What a record does not tell is no figure, and it is said why.
func TestFiguresThatAreNone(t *testing.T) {
	named := recorded.Named(t, "limpet-passive", "limpet-quick")
	long, quick := named[0], named[1]
	bare := *quick
	bare.Passes = nil
	for _, c := range []struct {
		decide, says string
		of           *session.Session
	}{
		{"smallest: time, amount: 900GB, of: write", "how it goes on to 900 GB is not known", quick},
		{"largest: rate, of: copy large-file", errOther.Error(), long},
		{"largest: iops, of: \"read random 4KiB, depth 32\"", errOther.Error(), long},
		{"smallest: watts, of: write", errOther.Error(), &bare},
		{"smallest: watts", "no power was recorded", &bare},
	} {
		r, cell := deciding(t, c.decide)
		if got, err := Figure(c.of, cell, &r.Decide); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %g, %v; want %q", c.decide, got, err, c.says)
		}
	}
}

// Every kind of figure can be read, and has words.
func TestEveryFigureIsRead(t *testing.T) {
	if len(readers) != len(review.Figures) {
		t.Errorf("%d readers of %d figures", len(readers), len(review.Figures))
	}
	for _, f := range review.Figures {
		if readers[f.Name] == nil {
			t.Errorf("%s is not read", f.Name)
		}
		if words := Words(f, 1234.5, unit.Decimal); words == "" {
			t.Errorf("%s has no words", f.Name)
		}
	}
	f, _ := review.FindFigure("rate")
	if words := Words(f, 1.5e9, unit.Bits); !strings.Contains(words, "Gbit/s") {
		t.Errorf("%q", words)
	}
}
