package engine_test

import (
	"context"
	"os/exec"
	"testing"
	"time"

	"opengauge/core/load"
	"opengauge/core/measure/engine"
	"opengauge/core/stat"
	"opengauge/core/storage/nbd"
	"opengauge/lab/witness"
)

// BenchmarkAgainstTheCopyClient holds reads of 4 KiB at depth 32 from a server in
// memory against the requests a second of the packaged copy client, one after the
// other in the same run. More than 1 is faster.
func BenchmarkAgainstTheCopyClient(b *testing.B) {
	if _, err := exec.LookPath("nbdcopy"); err != nil {
		b.Skip("there is no nbdcopy here")
	}
	const size, block = 512 << 20, 4096
	address := witness.Serve(b, size).Address
	var ratios []float64
	for range 5 {
		began := time.Now()
		client := exec.Command("nbdcopy", "--connections=1", "--threads=1", "--requests=32", "--request-size=4096",
			"--no-extents", address, "null:")
		if out, err := client.CombinedOutput(); err != nil {
			b.Fatalf("%v: %s", err, out)
		}
		theirs := size / block / time.Since(began).Seconds()
		volume, err := nbd.Open(context.Background(), address, nbd.Options{})
		if err != nil {
			b.Fatal(err)
		}
		result, err := engine.Run(context.Background(), volume, engine.Request{
			Load:   reads(load.Random, block, 32, size),
			Area:   areaOf(reads(load.Random, block, 32, size), 0),
			Timing: engine.Timing{Hold: 3 * time.Second, Settle: 200 * time.Millisecond, Sample: time.Second},
		})
		if err != nil {
			b.Fatal(err)
		}
		ratios = append(ratios, float64(result.Operations)/result.Elapsed.Seconds()/theirs)
	}
	b.ReportMetric(stat.Median(ratios), "of-the-client's-requests")
	b.ReportMetric(0, "ns/op")
}
