package finding

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// measured makes a session of passes of five seconds behind a chain of the given
// standards.
func measured(t *testing.T, chain string, passes ...session.Pass) *session.Session {
	t.Helper()
	s := &session.Session{State: session.Complete}
	if chain != "" {
		parsed, err := link.ParseChain(chain)
		if err != nil {
			t.Fatal(err)
		}
		s.Chain = parsed
	} else {
		s.Chain = link.NewChain()
	}
	for i, pass := range passes {
		pass.Index, pass.Workers, pass.Direct, pass.ElapsedSeconds, pass.StartedSeconds = i, 1, true, 5, float64(i)*6
		pass.Operations = int64(float64(pass.BytesPerSecond)*5) / int64(pass.Block)
		pass.IOPS = float64(pass.Operations) / 5
		pass.Latency.Mean = float64(pass.Depth) / pass.IOPS
		s.Passes = append(s.Passes, pass)
	}
	return s
}

func pass(operation load.Operation, access load.Access, block unit.Bytes, depth int, megabytes float64) session.Pass {
	return session.Pass{Load: load.Load{Operation: operation, Access: access, Block: block, Depth: depth},
		BytesPerSecond: unit.BytesPerSecond(megabytes * 1e6)}
}

func ofKind(findings []session.Finding, kind string) (session.Finding, bool) {
	for _, f := range findings {
		if f.Kind == kind {
			return f, true
		}
	}
	return session.Finding{}, false
}

func TestLinkBound(t *testing.T) {
	const read, write, sequential, random = load.Read, load.Write, load.Sequential, load.Random
	flat := func(megabytes float64) []session.Pass {
		return []session.Pass{
			pass(read, sequential, unit.MiB, 8, megabytes), pass(read, sequential, 128*unit.KiB, 32, megabytes*0.99),
			pass(write, sequential, unit.MiB, 8, megabytes*0.985),
			pass(read, random, 4*unit.KiB, 1, megabytes/20), pass(read, random, 64*unit.KiB, 32, megabytes*0.995),
		}
	}
	cases := []struct {
		name, chain string
		passes      []session.Pass
		want        string // a part of the summary, or nothing for no finding
		confidence  float64
	}{
		{"at the ceiling", "deck: usb 3.2 gen 2 > pcie 3.0 x4", flat(1042), "The limit is deck (usb 3.2 gen 2)", 0.96},
		{"at half of the ceiling", "deck: usb 3.2 gen 2 > pcie 3.0 x4", flat(520), "", 0},
		{"just below what it carries", "deck: usb 3.2 gen 2", flat(900), "", 0},
		{"above the link", "deck: usb 3.2 gen 2", flat(1300), "", 0},
		{"one pass alone", "sata 3", flat(560)[:1], "The limit may be hop 1", 0.77},
		{"two hops alike", "a: usb4 40g > b: pcie 3.0 x4", flat(3400), "or a (usb4 40g), which are nearly as narrow",
			0.96},
		{"below the narrowest, within its rival", "a: usb4 40g > b: pcie 3.0 x4", flat(2810),
			"The limit is a (usb4 40g):", 0.96},
		{"no chain", "", flat(1042), "", 0},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			f, ok := ofKind(Detect(measured(t, c.chain, c.passes...), unit.Decimal), "link-bound")
			if ok != (c.want != "") || ok && (!strings.Contains(f.Summary, c.want) ||
				!(math.Abs(f.Confidence-c.confidence) <= 0.02)) {
				t.Errorf("finding %v %q, confidence %v", ok, f.Summary, f.Confidence)
			}
		})
	}
	s := measured(t, "sata 3", flat(550)...)
	s.Parts = []book.Part{{Kind: book.Drive, Name: "curlew", Ratings: book.Ratings{SequentialRead: 560e6}}}
	if f, _ := ofKind(Detect(s, unit.Decimal), "link-bound"); f.Confidence != 0.5 ||
		!strings.Contains(f.Advice, "could be the drive as well") {
		t.Errorf("a drive rated at the link's ceiling: confidence %v, %q", f.Confidence, f.Advice)
	}
}

func TestLinkDegraded(t *testing.T) {
	x4, _ := link.PCIe(8e9, 4)
	x1, _ := link.PCIe(8e9, 1)
	s := measured(t, "", pass(load.Read, load.Sequential, unit.MiB, 8, 800))
	s.Chain = link.NewChain(link.Trained("slot", x1.State(), x4.State()))
	f, found := ofKind(Detect(s, unit.Decimal), "link-degraded")
	if !found || !strings.Contains(f.Summary, "trained as pcie 3.0 x1, but both of its ends can do pcie 3.0 x4") {
		t.Errorf("finding %v %q", found, f.Summary)
	}
	s.Chain = link.NewChain(link.Trained("slot", x4.State(), x4.State()))
	if _, found := ofKind(Detect(s, unit.Decimal), "link-degraded"); found {
		t.Error("a hop at its best is degraded")
	}
}

func TestLatencyBound(t *testing.T) {
	small := func(rates ...float64) []session.Pass {
		var passes []session.Pass
		for i, rate := range rates {
			passes = append(passes, pass(load.Read, load.Random, 4*unit.KiB, 1<<(2*i), rate))
		}
		return passes
	}
	rising := measured(t, "port: usb 3.2 gen 2", small(40, 158, 600)...)
	f, found := ofKind(Detect(rising, unit.Decimal), "latency-bound")
	if !found || f.Evidence.Fact("depth") != 16.0 {
		t.Fatalf("finding %v %+v", found, f)
	}
	// 16 / 600 MB/s x 1083.9 MB/s of the hop.
	if depth := f.Evidence.Fact("depth_that_fills_the_hop"); depth != 29.0 {
		t.Errorf("depth %v would fill the hop, want 29", depth)
	}
	for name, passes := range map[string][]session.Pass{"flat": small(40, 158, 170), "one depth": small(40)} {
		if _, found := ofKind(Detect(measured(t, "port: usb 3.2 gen 2", passes...), unit.Decimal),
			"latency-bound"); found {
			t.Errorf("%s: found", name)
		}
	}
	if _, found := ofKind(Detect(measured(t, "sata 3", small(140, 300, 540)...), unit.Decimal),
		"latency-bound"); found {
		t.Error("a load that fills its hop waits for latency")
	}
}

func TestLinkErrors(t *testing.T) {
	reading := func(errors, slow int64) link.Reading {
		return link.Reading{Counters: map[string]int64{"pcie_correctable_errors 0000:01:00.0": errors,
			"nvme_slow_seconds nvme0n1": slow}}
	}
	s := measured(t, "", pass(load.Read, load.Sequential, unit.MiB, 8, 800),
		pass(load.Read, load.Sequential, unit.MiB, 8, 800))
	s.Passes[0].Link = &link.Record{Before: reading(7, 0), After: reading(7, 5)}
	if _, found := ofKind(Detect(s, unit.Decimal), "link-errors"); found {
		t.Error("counters that stand still, or count slowdowns, are errors")
	}
	s.Passes[1].Link = &link.Record{Before: reading(7, 5), After: reading(12, 5)}
	f, found := ofKind(Detect(s, unit.Decimal), "link-errors")
	if !found || !strings.Contains(f.Summary, "5 pcie correctable errors 0000:01:00.0") || len(f.Passes) != 1 ||
		f.Passes[0] != 1 || f.Severity != session.Fault {
		t.Errorf("finding %+v", f)
	}
	s.Events = []session.Event{{TSeconds: 3, Kind: event.Relink, Detail: "deck: usb 3.2 gen 2 before, usb 2.0 now"}}
	if f, _ := ofKind(Detect(s, unit.Decimal), "link-errors"); len(f.Passes) != 2 ||
		!strings.Contains(f.Summary, "1 of relink") || !strings.Contains(f.Evidence.Fact("first").(string),
		"usb 2.0 now, 3 s") {
		t.Errorf("finding %+v", f)
	}
}

func TestRatings(t *testing.T) {
	drive := book.Part{Kind: book.Drive, Name: "sandpiper", Ratings: book.Ratings{SequentialRead: 3400e6,
		RandomReadIOPS: 480_000}}
	with := func(chain string, passes ...session.Pass) []session.Finding {
		s := measured(t, chain, passes...)
		s.Parts = []book.Part{drive}
		return findAgainstRating(s, unit.Decimal)
	}
	slow := with("usb 3.2 gen 2", pass(load.Read, load.Sequential, unit.MiB, 8, 1042),
		pass(load.Read, load.Random, 4*unit.KiB, 32, 372))
	if len(slow) != 1 || slow[0].Kind != "below-rating" || slow[0].Severity != session.Note ||
		!strings.Contains(slow[0].Summary, "2 ratings of sandpiper cannot be reached in this chain") {
		t.Errorf("behind a narrow hop: %+v", slow)
	}
	alone := with("pcie 3.0 x4", pass(load.Read, load.Sequential, unit.MiB, 8, 2100),
		pass(load.Read, load.Random, 4*unit.KiB, 32, 410*4.096))
	if len(alone) != 2 || alone[0].Severity != session.Caution ||
		alone[1].Evidence.Fact("rating") != "480\u00a0000 IOPS" {
		t.Errorf("on a wide hop: %+v", alone)
	}
	if fast := with("", pass(load.Read, load.Sequential, unit.MiB, 8, 3700)); len(fast) != 1 ||
		fast[0].Kind != "above-rating" {
		t.Errorf("above the rating: %+v", fast)
	}
	if as := with("", pass(load.Read, load.Sequential, unit.MiB, 8, 3350)); len(as) != 0 {
		t.Errorf("as rated: %+v", as)
	}
}
