package finding_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	book "opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
	"opengauge/lab/night"
)

// volumeOf opens a simulated volume.
func volumeOf(t *testing.T, v sim.Volume, seed uint64) *sim.Device {
	t.Helper()
	network, err := link.Find("ethernet 10g")
	if err != nil {
		t.Fatal(err)
	}
	v.Name, v.Network, v.Capacity = "v", network, 100*unit.GB
	part, err := sim.Bench{Volumes: map[string]sim.Volume{"v": v}}.Open("v", sim.Options{Seed: seed})
	if err != nil {
		t.Fatal(err)
	}
	return part
}

func only(t *testing.T, s *session.Session, kind string) session.Finding {
	t.Helper()
	for _, f := range finding.Detect(s, unit.Decimal) {
		if f.Kind == kind {
			return f
		}
	}
	t.Fatalf("no %s among %+v", kind, finding.Detect(s, unit.Decimal))
	return session.Finding{}
}

// Size and refill of a bucket are found to within 5 %.
func TestBucketsOfCredits(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(8, 8))
	for number := range night.Tries(t, 200) {
		refill := 300 + 2000*r.Float64()
		burst := refill * (1.6 + 2*r.Float64())
		lasts := 30 + 120*r.Float64()
		credits := (burst - refill) * lasts
		v := sim.Volume{Latency: 500e3, Jitter: 0.2, IOPS: refill, Throughput: 1e9,
			Burst: sim.Burst{IOPS: burst, Throughput: 1e9, Credits: credits}}
		s := measure(volumeOf(t, v, uint64(number)),
			fmt.Sprintf("  - sustain: {operation: read, access: random, block: 4KiB, depth: 32, for: %.0fs}\n",
				lasts*2+60))
		f := only(t, s, "credit-exhausted")
		size, earned := f.Evidence.Fact("bucket_operations").(float64),
			f.Evidence.Fact("refill_operations_per_second").(float64)
		if !(math.Abs(size/credits-1) <= 0.05) || !(math.Abs(earned/refill-1) <= 0.05) {
			t.Errorf("a bucket of %.0f that earns %.0f a second is found to hold %.0f and to earn %.0f", credits,
				refill, size, earned)
		}
		if full := f.Evidence.Fact("full_again_after_seconds").(float64); !(math.Abs(full/(credits/refill)-1) <= 0.1) {
			t.Errorf("it is full again after %.0f s, and found after %.0f s", credits/refill, full)
		}
	}
}

// The kind of limit is told by block sizes, and whose it is by the bench book.
func TestWhichLimitHolds(t *testing.T) {
	const sweep = "  - sweep: {operation: read, access: random, block: [4KiB, 16KiB, 64KiB, 256KiB, 1MiB], depth: " +
		"[1, 32], hold: 5s}\n"
	for name, c := range map[string]struct {
		served        sim.Volume
		part          book.Part
		limit, whose  string
		bytes, queues bool
	}{
		"the volume's operations": {sim.Volume{IOPS: 3000, Throughput: 900e6},
			book.Part{Limits: book.Limits{IOPS: 3000, Throughput: 900e6},
				Instance: book.Limits{IOPS: 20000, Throughput: 590e6}}, "operations", "volume", false, true},
		"the instance's operations": {sim.Volume{IOPS: 2000, Throughput: 900e6},
			book.Part{Limits: book.Limits{IOPS: 9000, Throughput: 900e6},
				Instance: book.Limits{IOPS: 2000, Throughput: 900e6}}, "operations", "instance", false, true},
		"the volume's bytes": {sim.Volume{IOPS: 90000, Throughput: 125e6},
			book.Part{Limits: book.Limits{IOPS: 90000, Throughput: 125e6}, Instance: book.Limits{Throughput: 590e6}},
			"bytes", "volume", true, true},
		"the instance's bytes": {sim.Volume{IOPS: 90000, Throughput: 590e6},
			book.Part{Limits: book.Limits{IOPS: 90000, Throughput: 900e6}, Instance: book.Limits{Throughput: 590e6}},
			"bytes", "instance", true, true},
		"the network": {sim.Volume{IOPS: 1e6, Throughput: 5e9},
			book.Part{Standard: "ethernet 10g", Limits: book.Limits{IOPS: 1e6, Throughput: 5e9},
				Instance: book.Limits{Throughput: 9e9}}, "bytes", "network", true, true},
	} {
		c.served.Latency, c.served.Jitter = 500e3, 0.1
		s := measure(volumeOf(t, c.served, 3), sweep)
		c.part.Kind, c.part.Name = book.Volume, "v"
		s.Parts = []book.Part{c.part}
		f := only(t, s, "cap-bound")
		if f.Evidence.Fact("limit") != c.limit || f.Evidence.Fact("whose") != c.whose {
			t.Errorf("%s: found %v of the %v: %s", name, f.Evidence.Fact("limit"), f.Evidence.Fact("whose"), f.Summary)
		}
		if queues := f.Evidence.Fact("queue_seconds") != nil; queues != c.queues {
			t.Errorf("%s: the queue in front of the limit: %v, %s", name, queues, f.Summary)
		}
	}
}

// Arrivals on a schedule show the line in front of a limit, and that the device is
// not slow.
func TestArrivalsAtALimit(t *testing.T) {
	const loads = "  - sweep: {operation: read, access: random, block: 4KiB, depth: 256, rate: [500, 1000, 2000, " +
		"5000, 20000], hold: 5s}\n"
	s := measure(volumeOf(t, sim.Volume{IOPS: 3000, Throughput: 900e6, Latency: 500e3, Jitter: 0.1}, 3), loads)
	s.Parts = []book.Part{{Kind: book.Volume, Name: "v", Limits: book.Limits{IOPS: 3000}}}
	f := only(t, s, "cap-bound")
	if got := f.Evidence.Fact("limit_iops").(float64); !(math.Abs(got/3000-1) <= 0.02) ||
		f.Evidence.Fact("whose") != "volume" || len(f.Passes) != 2 {
		t.Errorf("found %v of the %v in passes %v: %s", got, f.Evidence.Fact("whose"), f.Passes, f.Summary)
	}
	for _, pass := range s.Passes { // one that slows down on the way there is at its own end
		s.Passes[pass.Index].Latency.P50 *= 1 + pass.Rate/500
	}
	for _, f := range finding.Detect(s, unit.Decimal) {
		if f.Kind == "cap-bound" {
			t.Errorf("a device that slows down is found: %s", f.Summary)
		}
	}
}
