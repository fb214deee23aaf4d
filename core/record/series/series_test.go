package series

import (
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
	f.Fuzz(func(t *testing.T, text string) {
		s, err := Read("f.csv", strings.NewReader(text), writes)
		if err != nil {
			return
		}
		last := math.Inf(-1)
		for _, sample := range s.Passes[0].Samples {
			if sample.TSeconds < last || sample.Bytes < 0 {
				t.Fatalf("a sample at %v after one at %v, %d bytes", sample.TSeconds, last, sample.Bytes)
			}
			last = sample.TSeconds
		}
	})
}
