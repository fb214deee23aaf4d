package series

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"opengauge/core/load"
	"opengauge/core/unit"
)

var writes = About{Operation: load.Write, Access: load.Sequential, Block: unit.MiB, Depth: 8}

func FuzzRead(f *testing.F) {
	f.Add("t_seconds,bytes_per_second,temperature_celsius\n0,1e9,30\n1,1e9,31\n0.5,1e9,255\n")
	f.Add("t_seconds,bytes_per_second\n0,1e9\n1e308,1e9\n-1e308,1e9\n2,1e9\n")
	f.Add("t_seconds,bytes_per_second,iops\n0,1e12,1\n1e10,1e12,1e300\n2e10,1e12,1\n")
	f.Fuzz(func(t *testing.T, text string) {
		s, err := Read("f.csv", strings.NewReader(text), writes)
		if err != nil {
			return
		}
		if p := s.Passes[0]; p.Bytes < 0 || p.Operations < 0 || p.Errors < 0 {
			t.Fatalf("%d bytes, %d operations and %d errors in all", p.Bytes, p.Operations, p.Errors)
		}
		last := math.Inf(-1)
		for _, sample := range s.Passes[0].Samples {
			if sample.TSeconds < last || sample.Bytes < 0 || sample.Operations < 0 {
				t.Fatalf("a sample at %v after one at %v, %d bytes", sample.TSeconds, last, sample.Bytes)
			}
			last = sample.TSeconds
		}
	})
}

// A gap in a recording changes no average: what was not looked at has no rate.
func TestAGapChangesNoAverage(t *testing.T) {
	text := strings.Builder{}
	text.WriteString("t_seconds,bytes_per_second,iops\n")
	for i := range 120 {
		at := i
		if i >= 60 {
			at += 600
		}
		fmt.Fprintf(&text, "%d,5e8,1000\n", at)
	}
	s, err := Read("gap.csv", strings.NewReader(text.String()), writes)
	if err != nil {
		t.Fatal(err)
	}
	p := s.Passes[0]
	if rate := float64(p.BytesPerSecond); !(math.Abs(rate/5e8-1) < 0.001) || !(math.Abs(p.IOPS/1000-1) < 0.001) {
		t.Errorf("on average %.0f bytes and %.1f operations a second, want 5e8 and 1000", rate, p.IOPS)
	}
	looked := 0.0
	for _, sample := range p.Samples {
		looked += sample.ElapsedSeconds
	}
	if p.ElapsedSeconds != 720 || !(math.Abs(looked-122) < 0.001) {
		t.Errorf("it lasts %v s, of which %v were looked at; want 720 and 122", p.ElapsedSeconds, looked)
	}
}
