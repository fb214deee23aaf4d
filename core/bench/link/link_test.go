package link

import (
	"strings"
	"testing"
)

// The usable ranges have to hold figures that such links are known to carry,
// without being so wide that they say nothing.
func TestUsableRangesHoldKnownFigures(t *testing.T) {
	cases := []struct {
		standard  string
		low, high float64 // known figures, in MB/s
	}{
		{"pcie 3.0 x1", 870, 870},
		{"pcie 3.0 x4", 3500, 3500},
		{"pcie 4.0 x4", 7000, 7300},
		{"sata 3", 560, 560},
		{"usb 2.0", 40, 40},
		{"usb 3.2 gen 1", 430, 460},
		{"usb 3.2 gen 2", 1000, 1080},
		{"usb 3.2 gen 2x2", 2000, 2150},
		{"usb4 40g", 2800, 3800},
		{"thunderbolt 4", 2800, 3800},
		{"usb4 80g", 6000, 7000},
		{"thunderbolt 5", 6000, 7000},
		{"ethernet 1g", 117, 118},
	}
	for _, c := range cases {
		standard, err := Find(c.standard)
		if err != nil {
			t.Fatal(err)
		}
		usable := standard.Ceiling().Usable
		low, high := float64(usable.Low)/1e6, float64(usable.High)/1e6
		if low > c.low || high < c.high {
			t.Errorf("%s: %.0f to %.0f MB/s does not hold %.0f to %.0f", c.standard, low, high, c.low, c.high)
		}
		if low < c.low*0.85 || high > c.high*1.15 {
			t.Errorf("%s: %.0f to %.0f MB/s says little about %.0f to %.0f", c.standard, low, high, c.low, c.high)
		}
	}
}

func TestLineAndPayload(t *testing.T) {
	for standard, want := range map[string][2]float64{
		"pcie 1.0 x1": {312.5, 250}, "pcie 3.0 x4": {4000, 3938.5}, "pcie 6.0 x16": {128000, 121000},
		"sata 1": {187.5, 150}, "sas 4": {2812.5, 2400}, "usb 3.2 gen 2x2": {2500, 2424.2}, "usb4 40g": {5000, 4848.5},
		"sd uhs-i": {104, 104}, "sd uhs-iii": {780, 624}, "emmc hs400": {400, 400}, "ufs 4.0": {5830.4, 4664.3},
		"ethernet 10g jumbo": {1250, 1250}, "wi-fi 6": {150.1, 150.1},
	} {
		found, err := Find(standard)
		if err != nil {
			t.Fatal(err)
		}
		ceiling := found.Ceiling()
		for i, got := range []float64{float64(ceiling.Line) / 1e6, float64(ceiling.Payload) / 1e6} {
			if got < want[i]*0.999 || got > want[i]*1.001 {
				t.Errorf("%s: line and payload are %.1f and %.1f, want %v", standard, float64(ceiling.Line)/1e6,
					float64(ceiling.Payload)/1e6, want)
			}
		}
	}
}

// What holds for every standard.
func TestEveryStandardIsSound(t *testing.T) {
	seen := map[string]bool{}
	for _, standard := range Standards() {
		c := standard.Ceiling()
		if !(c.Line >= c.Payload && c.Payload > c.Usable.High && c.Usable.High > c.Usable.Low && c.Usable.Low > 0) {
			t.Errorf("%s: %+v", standard.Name, c)
		}
		if seen[squeezed(standard.Name)] || standard.Lanes < 1 || standard.Family == "" || standard.About == "" {
			t.Errorf("%s is there twice, or lacks something", standard.Name)
		}
		seen[squeezed(standard.Name)] = true
	}
	third, _ := Find("thunderbolt 3")
	fourth, _ := Find("thunderbolt 4")
	if third.Ceiling().Usable.Low > fourth.Ceiling().Usable.Low*0.6 {
		t.Error("the third generation does not leave much less than the fourth")
	}
	queued, _ := Find("usb 3.2 gen 2 queued")
	single, _ := Find("usb 3.2 gen 2 bulk-only")
	if queued.Ceiling().Usable.High <= single.Ceiling().Usable.High {
		t.Error("queued commands carry no more than one at a time")
	}
}

func TestFindForgivesSpelling(t *testing.T) {
	for spelling, want := range map[string]string{
		"  USB 3.2   Gen 2 ": "usb 3.2 gen 2", "USB4 40G": "usb4 40g", "PCIe4.0x4": "pcie 4.0 x4",
		"WiFi 6": "wi-fi 6", "uhs-i sd": "",
	} {
		standard, err := Find(spelling)
		if standard.Name != want || (err == nil) == (want == "") {
			t.Errorf("%q gives %q, %v", spelling, standard.Name, err)
		}
	}
	for spelling, want := range map[string]string{"pcie 4 x4": "pcie 4.0 x4", "usb 3.2": "usb 3.2 gen 1",
		"satta 3": "sata 3"} {
		if _, err := Find(spelling); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q gives %v, want %s among the nearest", spelling, err, want)
		}
	}
}

func TestParseChain(t *testing.T) {
	chain, err := ParseChain("pcie 4.0 x4 > deck: usb4 40G > pcie 3.0 x4")
	if err != nil || len(chain.Hops) != 3 {
		t.Fatalf("%+v, %v", chain, err)
	}
	if chain.Hops[0].Name != "hop 1" || chain.Hops[1].Name != "deck" {
		t.Errorf("names are %q and %q", chain.Hops[0].Name, chain.Hops[1].Name)
	}
	// The drive's own four lanes and the tunnel carry nearly the same.
	if hop, ok := chain.Binding(); !ok || hop.Standard != "pcie 3.0 x4" || len(chain.Rivals()) != 1 ||
		chain.Rivals()[0].Name != "deck" {
		t.Errorf("binding is %q, rivals %+v", hop.Standard, chain.Rivals())
	}
	if usable, ok := chain.Usable(); !ok || usable.Low != chain.Hops[1].Usable.Low ||
		usable.High != chain.Hops[2].Usable.High {
		t.Errorf("the chain carries %+v", usable)
	}
	for _, bad := range []string{"", "pcie 4.0 x4 >", "> usb 2.0", "pigeon > usb 2.0"} {
		if _, err := ParseChain(bad); err == nil || !strings.Contains(err.Error(), "hop ") {
			t.Errorf("%q gives %v", bad, err)
		}
	}
}

func TestBindingHop(t *testing.T) {
	wide, _ := Find("pcie 4.0 x4")
	narrow, _ := Find("usb 3.2 gen 2")
	chain := NewChain(Hop{Name: "virtio"}, wide.Hop("host"), narrow.Hop("limpet"), wide.Hop("sandpiper"))
	if hop, ok := chain.Binding(); !ok || hop.Name != "limpet" || len(chain.Rivals()) != 0 {
		t.Errorf("binding hop is %q (%v), want limpet; rivals %v", hop.Name, ok, chain.Rivals())
	}
	for _, unknown := range []Chain{NewChain(), NewChain(Hop{Name: "virtio"})} {
		if _, ok := unknown.Binding(); ok || unknown.Rivals() != nil {
			t.Error("a chain of nothing known has a binding hop")
		}
	}
}

func TestDegraded(t *testing.T) {
	x4, _ := PCIe(8e9, 4)
	x2, _ := PCIe(8e9, 2)
	cases := []struct {
		negotiated, capable State
		want                bool
	}{
		{x2.State(), x4.State(), true}, {x4.State(), x4.State(), false}, {x4.State(), State{}, false},
		{State{}, x4.State(), false},
	}
	for _, c := range cases {
		if got := Trained("slot", c.negotiated, c.capable).Degraded(); got != c.want {
			t.Errorf("%s of %s: degraded is %v", c.negotiated.Standard, c.capable.Standard, got)
		}
	}
}

func TestStandardsByWhatSystemsReport(t *testing.T) {
	named := func(s Standard, known bool) string {
		if !known {
			return ""
		}
		return s.Name
	}
	cases := []struct{ got, want string }{
		{named(PCIe(16e9, 4)), "pcie 4.0 x4"}, {named(PCIe(16e9, 12)), ""}, {named(PCIe(3e9, 1)), ""},
		{named(USB(480, 1, QueuedTransport)), "usb 2.0"},
		{named(USB(10000, 1, QueuedTransport)), "usb 3.2 gen 2 queued"},
		{named(USB(10000, 2, "")), "usb 3.2 gen 1x2"}, {named(USB(20000, 2, BulkOnlyTransport)),
			"usb 3.2 gen 2x2 bulk-only"}, {named(USB(7, 1, "")), ""},
		{named(Serial("SATA", 6)), "sata 3"}, {named(Serial("SAS", 6)), "sas 2"}, {named(Serial("SAS", 7)), ""},
		{named(Tunnel(20, 2, "3")), "thunderbolt 3"}, {named(Tunnel(20, 2, "")), "usb4 40g"},
		{named(Tunnel(40, 2, "4")), "usb4 80g"}, {named(Tunnel(9, 2, "")), ""},
	}
	for i, c := range cases {
		if c.got != c.want {
			t.Errorf("case %d: %q, want %q", i, c.got, c.want)
		}
	}
}
