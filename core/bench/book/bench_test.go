package book

import (
	"strings"
	"testing"

	"opengauge/core/bench/link"
	"opengauge/examples"
)

func demo(t testing.TB) Book {
	t.Helper()
	book, err := Parse(examples.BenchName, examples.Bench)
	if err != nil {
		t.Fatal(err)
	}
	return book
}

func hops(chain link.Chain) string {
	var texts []string
	for _, hop := range chain.Hops {
		texts = append(texts, hop.Name+": "+hop.Standard)
	}
	return strings.Join(texts, " > ")
}

func TestResolve(t *testing.T) {
	book := demo(t)
	cases := []struct{ text, want, binds string }{
		{"deck-limpet", "deck-tablet side: usb 3.2 gen 2 > limpet: usb 3.2 gen 2 > sandpiper: pcie 3.0 x4",
			"deck-tablet side"},
		{"sandpiper, barnacle, cabin-desk.front", "cabin-desk front: usb4 40g > barnacle: usb4 40g > sandpiper: " +
			"pcie 3.0 x4", "sandpiper"},
		{"deck-tablet,deck-cable,curlew", "deck-tablet side: usb 3.2 gen 2 > deck-cable: usb 3.2 gen 1 > " +
			"curlew: sata 3", "deck-cable"},
		{"barnacle", "barnacle: usb4 40g", "barnacle"},
	}
	for _, c := range cases {
		setup, err := book.Resolve(c.text)
		if err != nil {
			t.Fatal(err)
		}
		binding, _ := setup.Chain.Binding()
		if got := hops(setup.Chain); got != c.want || binding.Name != c.binds {
			t.Errorf("%s is %q, bound by %s; want %q, %s", c.text, got, binding.Name, c.want, c.binds)
		}
	}
	half, _ := book.Resolve("deck-tablet,barnacle")
	if whole, err := book.ResolveWith("deck-tablet,barnacle", "short-cable", "sandpiper", "nonesuch"); err != nil ||
		len(whole.Chain.Hops) != 4 {
		t.Errorf("with a drive: %s, %v", hops(whole.Chain), err)
	}
	if same, err := book.ResolveWith("deck-tablet,barnacle", "limpet"); err != nil ||
		hops(same.Chain) != hops(half.Chain) {
		t.Errorf("with a second enclosure: %s, %v", hops(same.Chain), err)
	}
	for text, want := range map[string]string{
		"nonesuch": "no chain and no part", "cabin-desk": "several ports", "cabin-desk.top": "no port \"top\"",
		"limpet.side": "is no host", "limpet,barnacle": "second enclosure", "": "no chain and no part",
	} {
		if _, err := book.Resolve(text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q gives %v, want %q in it", text, err, want)
		}
	}
}

func TestRatingsAndPrices(t *testing.T) {
	part, _ := demo(t).Part("sandpiper")
	if part.Ratings.SequentialRead != 3400e6 || part.Ratings.RandomWriteIOPS != 520000 ||
		part.Ratings.Endurance != 600e12 || part.Price != 84 || part.Capacity != 1e12 {
		t.Errorf("sandpiper is %+v", part)
	}
}

func TestMergeShowsContradictions(t *testing.T) {
	setup, err := demo(t).Resolve("deck-barnacle")
	if err != nil {
		t.Fatal(err)
	}
	slow, _ := link.USB(5000, 1, link.QueuedTransport)
	merged := setup.Merge(link.NewChain(link.Trained("Barnacle", slow.State(), link.State{})))
	if got := hops(merged); got != "Barnacle: usb 3.2 gen 1 queued > short-cable: usb4 40g > barnacle: usb4 40g > "+
		"sandpiper: pcie 3.0 x4" {
		t.Errorf("merged: %s", got)
	}
	if len(merged.Contradictions) != 1 || !strings.Contains(merged.Contradictions[0],
		"says usb 3.2 gen 2 for deck-tablet side, but the machine runs Barnacle at usb 3.2 gen 1") ||
		!merged.Hops[0].Degraded() {
		t.Errorf("contradictions %q, hop %+v", merged.Contradictions, merged.Hops[0])
	}
	fast, _ := link.USB(20000, 2, "")
	if more := setup.Merge(link.NewChain(link.Trained("Barnacle", fast.State(),
		link.State{}))); len(more.Contradictions) != 1 || !strings.Contains(more.Contradictions[0], "which is more") {
		t.Errorf("contradictions %q", more.Contradictions)
	}
	same, _ := link.USB(10000, 1, link.BulkOnlyTransport)
	if agreed := setup.Merge(link.NewChain(link.Trained("Barnacle", same.State(),
		link.State{}))); len(agreed.Contradictions) != 0 {
		t.Errorf("contradictions %q", agreed.Contradictions)
	}
	if alone := setup.Merge(link.NewChain()); hops(alone) != hops(setup.Chain) {
		t.Errorf("without a survey: %s", hops(alone))
	}
	unknown := setup.Merge(link.NewChain(link.Trained("virtio1", link.State{Standard: "virtio"}, link.State{})))
	if len(unknown.Hops) != 5 || len(unknown.Contradictions) != 0 {
		t.Errorf("over virtio: %s", hops(unknown))
	}
}

func TestFaultsHaveAPlace(t *testing.T) {
	cases := []struct{ source, want string }{
		{"drives:\n  a: {link: sata 9}\n", "b.yaml:2:13: unknown link standard"},
		{"drives:\n  a: {price: 3}\n", "b.yaml:2:3: the drive a needs a \"link\""},
		{"drives:\n  a: {link: sata 3, price: cheap}\n", "b.yaml:2:28: \"cheap\" is not a price"},
		{"drives:\n  a: {link: sata 3, ratings: {sequential-read: 560Mb/s}}\n", "2:48"},
		{"drives:\n  a: {link: sata 3, ratings: {random-read: -3}}\n", "not a number of operations"},
		{"drives:\n  a: {link: sata 3, speed: 3}\n", "unknown key \"speed\""},
		{"drives:\n  a.b: {link: sata 3}\n", "b.yaml:2:3"},
		{"drives: {a: {link: sata 3}}\ncables: {a: {link: sata 3}}\n", "is taken"},
		{"hosts:\n  h: {about: x}\n", "needs \"ports\""},
		{"hosts:\n  h: {ports: {p: pigeon}}\n", "unknown link standard"},
		{"drives: {a: {link: sata 3}}\nchains:\n  c: [a, b]\n", "b.yaml:3:6: the bench book has no chain and no " +
			"part \"b\""},
		{"ships: {}\n", "unknown key \"ships\""},
		{"drives: 3\n", "expected a mapping"},
	}
	for _, c := range cases {
		if _, err := Parse("b.yaml", []byte(c.source)); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%q gives %v, want %q in it", c.source, err, c.want)
		}
	}
	if _, err := Load("no/such/book.yaml"); err == nil {
		t.Error("a book that is not there is read")
	}
}

func FuzzParse(f *testing.F) {
	f.Add(string(examples.Bench))
	f.Add("drives: {a: {link: sata 3}}\nchains: {c: [a]}\n")
	f.Fuzz(func(t *testing.T, source string) {
		book, err := Parse("f.yaml", []byte(source))
		if err != nil {
			return
		}
		for _, chain := range book.Chains {
			if setup, err := book.Resolve(chain.Name); err != nil || len(setup.Chain.Hops) == 0 {
				t.Fatalf("the accepted chain %q gives %v", chain.Name, err)
			}
		}
	})
}

func TestVolumes(t *testing.T) {
	setup, err := demo(t).Resolve("lagoon-burst")
	if err != nil {
		t.Fatal(err)
	}
	if got, want := hops(setup.Chain), "lagoon-burst's instance: instance limit > network to lagoon-burst: "+
		"ethernet 10g > lagoon-burst: provisioned limit"; got != want {
		t.Errorf("the chain is %q, want %q", got, want)
	}
	if binding, ok := setup.Chain.Binding(); !ok || binding.Name != "lagoon-burst" || binding.Usable.High != 250e6 {
		t.Errorf("%+v binds", binding)
	}
	volume := setup.Parts[0]
	if volume.Limits.IOPS != 1500 || volume.Limits.Credits != 450000 || volume.Limits.BurstIOPS != 3000 ||
		volume.Instance.IOPS != 20000 || volume.PriceMonth != 44 {
		t.Errorf("the volume is %+v", volume)
	}
	for source, want := range map[string]string{
		"volumes:\n  v: {iops: 100}":                             "needs a \"network\"",
		"volumes:\n  v: {network: ethernet 10g, iops: none}":     "operations a second",
		"volumes:\n  v: {network: ethernet 10g, burst: {x: 1}}":  "unknown key",
		"volumes:\n  v: {network: ethernet 10g, throughput: 5}":  "is not a rate",
		"volumes:\n  v: {network: ethernet 10g, instance: fast}": "expected",
	} {
		if _, err := Parse("b.yaml", []byte(source)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q in it", source, err, want)
		}
	}
}
