package link

import (
	"strings"
	"testing"
)

// The usable ranges have to hold figures that such links are known to carry.
func TestUsableRangeHoldsKnownFigures(t *testing.T) {
	cases := []struct {
		standard        string
		lowMB, highMB   float64
		lineMB, payload float64
	}{
		{"usb 3.2 gen 2", 1000, 1080, 1250, 1212.1},
		{"usb4 40g", 2800, 3840, 5000, 4848.5},
		{"pcie 3.0 x4", 3380, 3630, 4000, 3938.5},
		{"pcie 4.0 x4", 6770, 7250, 8000, 7876.9},
	}
	for _, c := range cases {
		standard, err := Find(c.standard)
		if err != nil {
			t.Fatal(err)
		}
		ceiling := standard.Ceiling()
		within := func(what string, got, want float64) {
			if got < want*0.99 || got > want*1.01 {
				t.Errorf("%s: %s is %.0f MB/s, want about %.0f", c.standard, what, got/1e6, want/1e6)
			}
		}
		within("line", float64(ceiling.Line), c.lineMB*1e6)
		within("payload", float64(ceiling.Payload), c.payload*1e6)
		within("usable low", float64(ceiling.Usable.Low), c.lowMB*1e6)
		within("usable high", float64(ceiling.Usable.High), c.highMB*1e6)
	}
}

func TestFindForgivesSpelling(t *testing.T) {
	standard, err := Find("  USB 3.2   Gen 2 ")
	if err != nil || standard.Name != "usb 3.2 gen 2" {
		t.Errorf("got %q, %v", standard.Name, err)
	}
	if _, err := Find("carrier pigeon"); err == nil || !strings.Contains(err.Error(), "known are") {
		t.Errorf("error is %v, want one that lists the known standards", err)
	}
}

func TestBindingHopIsTheNarrowest(t *testing.T) {
	wide, _ := Find("pcie 4.0 x4")
	narrow, _ := Find("usb 3.2 gen 2")
	chain := NewChain(wide.Hop("host"), narrow.Hop("limpet"), wide.Hop("sandpiper"))
	if hop, known := chain.Binding(); !known || hop.Name != "limpet" {
		t.Errorf("binding hop is %q (%v), want limpet", hop.Name, known)
	}
	if _, known := NewChain().Binding(); known {
		t.Error("an empty chain has a binding hop")
	}
}
