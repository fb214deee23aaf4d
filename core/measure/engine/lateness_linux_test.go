package engine_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"opengauge/core/load"
	"opengauge/core/measure/engine"
	"opengauge/core/storage/nbd"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// carriers are the ways to the kernel, by their names in a result, with the depth at
// which each is used.
var carriers = []struct {
	carrier target.Carrier
	queue   string
	depth   int
}{
	{target.Automatic, "positioned calls", 1},
	{target.Native, "io_uring", 8},
	{target.Threads, "thread pool", 8},
}

// steadily is a load of small random reads at a rate.
func steadily(rate float64, depth int, span unit.Bytes) load.Load {
	l := reads(load.Random, 4096, depth, span)
	l.Rate = rate
	return l
}

func lateness(t testing.TB, on target.Target, l load.Load, hold time.Duration) engine.Result {
	t.Helper()
	result, err := engine.Run(context.Background(), on, engine.Request{
		Load:   l,
		Area:   areaOf(l, 0),
		Timing: engine.Timing{Settle: 50 * time.Millisecond, Hold: hold, Sample: 100 * time.Millisecond},
	})
	if err != nil {
		t.Fatal(err)
	}
	return result
}

// BenchmarkLateness says by how much the program itself begins operations of a fixed
// rate too late, and what part of a core it takes for that.
func BenchmarkLateness(b *testing.B) {
	file, span := filled(b, "/dev/shm", 64*unit.MiB, 0)
	for _, c := range carriers {
		for _, rate := range []float64{1000, 10_000} {
			b.Run(fmt.Sprintf("%s-%.0f", c.queue, rate), func(b *testing.B) {
				opened, err := target.OpenPath(file.Name(), target.PathOptions{Carrier: c.carrier})
				if err != nil {
					b.Skip("opening it as a target: ", err)
				}
				defer opened.Close()
				tell(b, lateness(b, opened, steadily(rate, c.depth, span), 3*time.Second))
			})
		}
	}
	address := witness.Serve(b, 64*unit.MiB).Address
	for _, rate := range []float64{1000, 10_000} {
		b.Run(fmt.Sprintf("volume-%.0f", rate), func(b *testing.B) {
			volume, err := nbd.Open(context.Background(), address, nbd.Options{})
			if err != nil {
				b.Fatal(err)
			}
			tell(b, lateness(b, volume, steadily(rate, 8, volume.Description().Span), 3*time.Second))
		})
	}
}

func tell(b *testing.B, r engine.Result) {
	b.ReportMetric(r.Lateness.P50Seconds*1e6, "p50-late-us")
	b.ReportMetric(r.Lateness.P99Seconds*1e6, "p99-late-us")
	b.ReportMetric(r.Latency.P50Seconds*1e6, "p50-us")
	b.ReportMetric(r.Spun.Seconds()/r.Elapsed.Seconds(), "cores-spun")
	b.ReportMetric(0, "ns/op")
}

// Every way to the kernel keeps to a schedule, and says by how much it does not: the
// bound here is ten times that of the benchmark, and judged on idle cores only. Too many
// operations are wrong anywhere.
func TestLatenessOnAFile(t *testing.T) {
	file, span := filled(t, t.TempDir(), 16*unit.MiB, 0)
	for _, c := range carriers {
		t.Run(c.queue, func(t *testing.T) {
			opened, err := target.OpenPath(file.Name(), target.PathOptions{Carrier: c.carrier})
			if err != nil {
				t.Fatal(err)
			}
			defer opened.Close()
			witness.OnQuietMachine(t, func() (faults []string) {
				r := lateness(t, opened, steadily(1000, c.depth, span), time.Second)
				if r.Queue != c.queue {
					t.Fatalf("%q carried the operations, want %q", r.Queue, c.queue)
				}
				if r.Spun <= 0 || r.Spun > r.Elapsed {
					t.Errorf("spun for %s of %s", r.Spun, r.Elapsed)
				}
				rate := float64(r.Operations) / r.Elapsed.Seconds()
				if rate > 1020 {
					t.Errorf("%.0f a second, want 1000", rate)
				}
				if rate < 980 {
					faults = append(faults, fmt.Sprintf("%.0f a second, want 1000", rate))
				}
				if !(r.Lateness.P50Seconds < 50e-6) {
					faults = append(faults, fmt.Sprintf("late by %.0f µs in the middle", r.Lateness.P50Seconds*1e6))
				}
				return faults
			})
		})
	}
}
