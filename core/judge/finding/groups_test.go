package finding

import (
	"strings"
	"testing"

	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// series makes passes of the same load, one a figure in MB/s, which set makes
// differ.
func sameLoad(t *testing.T, megabytes []float64, set func(at int, p *session.Pass)) *session.Session {
	t.Helper()
	var passes []session.Pass
	for range megabytes {
		passes = append(passes, pass(load.Write, load.Sequential, unit.MiB, 8, 1))
	}
	s := measured(t, "", passes...)
	for i := range s.Passes {
		s.Passes[i].BytesPerSecond = unit.BytesPerSecond(megabytes[i] * 1e6)
		set(i, &s.Passes[i])
	}
	return s
}

func TestFillSlowdown(t *testing.T) {
	levels := []float64{0, 0.25, 0.5, 0.75, 0.9}
	byFill := func(at int, p *session.Pass) { p.FillShare = levels[at%len(levels)] }
	for name, c := range map[string]struct {
		rates []float64
		want  bool
	}{
		"steadily":          {[]float64{1000, 950, 900, 800, 600}, true},
		"only near the end": {[]float64{1000, 1010, 1000, 990, 700}, true},
		"hardly":            {[]float64{1000, 990, 980, 960, 930}, false},
		"up and down":       {[]float64{1000, 600, 1000, 700, 800}, false},
		"faster":            {[]float64{600, 700, 800, 900, 1000}, false},
		"two levels only":   {[]float64{1000, 500}, false},
		"several repeats":   {[]float64{1000, 950, 900, 800, 600, 1010, 940, 910, 790, 610}, true},
	} {
		f, ok := ofKind(Detect(sameLoad(t, c.rates, byFill), unit.Decimal), "fill-slowdown")
		if ok != c.want || ok && !strings.Contains(f.Summary, "at 90 %") {
			t.Errorf("%s: %v %q", name, ok, f.Summary)
		}
	}
}

func TestRunFade(t *testing.T) {
	byRepeat := func(at int, p *session.Pass) { p.Repeat = at }
	for name, c := range map[string]struct {
		rates []float64
		want  bool
	}{
		"each slower":    {[]float64{1000, 950, 910, 870, 820, 780}, true},
		"one step":       {[]float64{1000, 1000, 1000, 400, 400, 400}, false},
		"level":          {[]float64{1000, 1010, 990, 1005, 995, 1000}, false},
		"three repeats":  {[]float64{1000, 800, 600}, false},
		"noisy but down": {[]float64{1000, 930, 950, 860, 870, 780, 790}, true},
	} {
		if f, ok := ofKind(Detect(sameLoad(t, c.rates, byRepeat), unit.Decimal), "run-fade"); ok != c.want {
			t.Errorf("%s: %v %q", name, ok, f.Summary)
		}
	}
}

func TestDataSensitive(t *testing.T) {
	shares := []float64{0, 1, 0, 1, 0, 1}
	byData := func(at int, p *session.Pass) { p.CompressibleShare, p.Repeat = shares[at], at/2 }
	for name, c := range map[string]struct {
		rates []float64
		want  bool
	}{
		"faster when compressible": {[]float64{500, 900, 510, 880, 490, 910}, true},
		"the same":                 {[]float64{500, 505, 510, 500, 490, 500}, false},
		"repeats overlap":          {[]float64{500, 900, 850, 600, 700, 800}, false},
	} {
		if f, ok := ofKind(Detect(sameLoad(t, c.rates, byData), unit.Decimal), "data-sensitive"); ok != c.want {
			t.Errorf("%s: %v %q", name, ok, f.Summary)
		}
	}
}

func TestCapBound(t *testing.T) {
	volume := func(iops ...float64) *session.Session {
		var passes []session.Pass
		for i, each := range iops {
			block := 4 * unit.KiB << (2 * i)
			passes = append(passes, pass(load.Read, load.Random, block, 32, each*float64(block)/1e6))
		}
		s := measured(t, "", passes...)
		s.Chain = link.NewChain(link.Hop{Name: "volume", State: link.State{Standard: "provisioned limit"}})
		return s
	}
	f, found := ofKind(Detect(volume(6000, 6010, 5990), unit.Decimal), "cap-bound")
	if !found || !strings.Contains(f.Summary, "4 KiB and of 64 KiB") {
		t.Errorf("a limit of operations: %v %q", found, f.Summary)
	}
	if _, found := ofKind(Detect(volume(6000, 3000, 800), unit.Decimal), "cap-bound"); found {
		t.Error("figures that fall with the block size are a limit of operations")
	}
	drive := volume(6000, 6000)
	drive.Chain = link.NewChain()
	if _, found := ofKind(Detect(drive, unit.Decimal), "cap-bound"); found {
		t.Error("a drive without provisioned limits is bound by one")
	}
}
