package predict

import (
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

func chain(t *testing.T, text string) link.Chain {
	t.Helper()
	if text == "" {
		return link.NewChain()
	}
	parsed, err := link.ParseChain(text)
	if err != nil {
		t.Fatal(err)
	}
	return parsed
}

func TestExpectations(t *testing.T) {
	drive := book.Part{Kind: book.Drive, Name: "sandpiper", Ratings: book.Ratings{SequentialRead: 3400e6}}
	cases := []struct {
		name, from, to string
		access         load.Access
		measured       float64 // MB/s
		rated          bool
		low, high      float64
		binds          Limit
		open           bool
	}{
		{"small reads stay the drive's", "port: usb 3.2 gen 2", "port: usb4 40g", load.Random, 41, false, 39.8, 42.2,
			ByDrive, false},
		{"a wide chain does not help a slow drive", "port: usb4 40g", "pcie 4.0 x4", load.Sequential, 1500, false,
			1455, 1545, ByDrive, false},
		{"a narrow chain binds a fast drive", "port: usb4 40g", "deck: usb 3.2 gen 1", load.Sequential, 2600, false,
			411, 463, ByHop, false},
		{"what the old chain hid, the rating tells", "port: usb 3.2 gen 2", "pcie 3.0 x4", load.Sequential, 1042,
			true, 1042, 3400, ByEither, true},
		{"what the old chain hid, nobody tells", "port: usb 3.2 gen 2", "pcie 3.0 x4", load.Sequential, 1042, false,
			1042, 3677, ByEither, true},
		{"from one narrow chain to a narrower one", "port: usb 3.2 gen 2", "usb 2.0", load.Sequential, 1042, true,
			36.9, 45.1, ByHop, true},
		{"nothing is known of the chain", "port: usb4 40g", "", load.Sequential, 1500, false, 1455, 1545, ByUnknown,
			false},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			s := &session.Session{Chain: chain(t, c.from), Passes: []session.Pass{{
				Load:           load.Load{Operation: load.Read, Access: c.access, Block: unit.MiB, Depth: 8},
				BytesPerSecond: unit.BytesPerSecond(c.measured * 1e6),
			}}}
			if c.rated {
				s.Parts = []book.Part{drive}
			}
			got := New(s, chain(t, c.to)).Passes[0]
			near := func(have unit.BytesPerSecond, want float64) bool {
				return float64(have) > want*0.995e6 && float64(have) < want*1.005e6
			}
			if !near(got.Expected.Low, c.low) || !near(got.Expected.High, c.high) || got.Binds != c.binds ||
				got.Open != c.open {
				t.Errorf("expected %.1f to %.1f MB/s, bound by %s, open %v", float64(got.Expected.Low)/1e6,
					float64(got.Expected.High)/1e6, got.Binds, got.Open)
			}
		})
	}
}

func TestPassesThatSayNothingAreLeftOut(t *testing.T) {
	s := &session.Session{Chain: link.NewChain(), Passes: []session.Pass{
		{BytesPerSecond: 1e6, CutShort: true}, {}, {BytesPerSecond: 1e6, Repeat: 1}, {BytesPerSecond: 1e6, Index: 3},
	}}
	if f := New(s, link.NewChain()); len(f.Passes) != 1 || f.Passes[0].Index != 3 {
		t.Errorf("passes are %+v", f.Passes)
	}
}
