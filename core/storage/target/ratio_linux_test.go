package target_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"golang.org/x/sys/unix"

	"opengauge/core/measure/engine"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// These benchmarks compare a pass of the engine with a bare loop of the same
// system calls that records nothing, in turns within one run. "of-bare" is the
// share of the bare loop's operations a second that the pass reaches;
// "cpu-of-bare" is its processor time an operation as a multiple of the loop's.

const (
	rounds  = 7
	stretch = 700 * time.Millisecond
)

func BenchmarkRandomDepth32OnZram(b *testing.B) {
	file, span := zram(b, 256*unit.MiB)
	compare(b, file, engine.Load{Random: true, Block: 4096, Depth: 32, Span: span})
}

func BenchmarkSequentialDepth8OnZram(b *testing.B) {
	file, span := zram(b, 256*unit.MiB)
	compare(b, file, engine.Load{Block: unit.MiB, Depth: 8, Span: span})
}

func BenchmarkRandomDepth32OnDisk(b *testing.B) {
	file, span := filled(b, b.TempDir(), 256*unit.MiB, unix.O_DIRECT)
	compare(b, file, engine.Load{Random: true, Block: 4096, Depth: 32, Span: span})
}

func BenchmarkRandomDepth1InMemory(b *testing.B) {
	folder, err := os.MkdirTemp("/dev/shm", "opengauge-bench-")
	if err != nil {
		b.Skip("no file system in memory: ", err)
	}
	b.Cleanup(func() { _ = os.RemoveAll(folder) })
	file, span := filled(b, folder, 256*unit.MiB, 0)
	compare(b, file, engine.Load{Random: true, Block: 4096, Depth: 1, Span: span})
}

func compare(b *testing.B, file *os.File, load engine.Load) {
	b.Helper()
	var speeds, processors []float64
	for range rounds {
		bare := bareLoop(b, file, load)
		result, err := engine.Run(context.Background(), target.OnFile(file, load.Span), load,
			engine.Timing{Settle: 50 * time.Millisecond, Hold: stretch, Sample: 100 * time.Millisecond}, engine.Watch{})
		if err != nil {
			b.Fatal(err)
		}
		ours := float64(result.Operations) / result.Elapsed.Seconds()
		theirs := float64(bare.Operations) / bare.Elapsed.Seconds()
		speeds = append(speeds, ours/theirs)
		processors = append(processors, (result.Usage.Processor.Seconds()/float64(result.Operations))/(bare.Processor.Seconds()/float64(bare.Operations)))
	}
	b.ReportMetric(median(speeds), "of-bare")
	b.ReportMetric(median(processors), "cpu-of-bare")
	b.ReportMetric(0, "ns/op")
}

func bareLoop(b *testing.B, file *os.File, load engine.Load) target.Bare {
	b.Helper()
	var bare target.Bare
	var err error
	if load.Depth == 1 {
		bare, err = target.BareCalls(file, load.Block, load.Span, stretch)
	} else {
		bare, err = target.BareRing(file, load.Depth, load.Block, load.Span, load.Random, stretch)
	}
	if err != nil {
		b.Skip("the bare loop cannot run here: ", err)
	}
	return bare
}

func median(values []float64) float64 {
	slices.Sort(values)
	return values[len(values)/2]
}

// filled makes a file of incompressible data.
func filled(tb testing.TB, folder string, size unit.Bytes, flags int) (*os.File, unit.Bytes) {
	tb.Helper()
	name := filepath.Join(folder, "data")
	if err := os.WriteFile(name, noise(size), 0o600); err != nil {
		tb.Skip("making a file: ", err)
	}
	file, err := os.OpenFile(name, os.O_RDONLY|flags, 0)
	if err != nil {
		tb.Skip("opening it: ", err)
	}
	tb.Cleanup(func() { _ = file.Close() })
	_ = file.Sync()
	return file, size
}

// noise is data without a pattern.
func noise(size unit.Bytes) []byte {
	data := make([]byte, size)
	state := uint64(88172645463325252)
	for at := range data {
		state ^= state << 13
		state ^= state >> 7
		state ^= state << 17
		data[at] = byte(state >> 24)
	}
	return data
}

// zram makes a compressed-memory block device, filled with incompressible data.
func zram(tb testing.TB, size unit.Bytes) (*os.File, unit.Bytes) {
	tb.Helper()
	number, err := os.ReadFile("/sys/class/zram-control/hot_add")
	if err != nil {
		tb.Skip("no compressed-memory block device can be made here (root and the kernel's zram are needed): ", err)
	}
	name := "zram" + strings.TrimSpace(string(number))
	tb.Cleanup(func() {
		// A ring that was closed lets go of its file a moment later.
		var err error
		for range 50 {
			if err = os.WriteFile("/sys/class/zram-control/hot_remove", number, 0); err == nil {
				return
			}
			time.Sleep(100 * time.Millisecond)
		}
		tb.Errorf("%s could not be removed: %v", name, err)
	})
	if err := os.WriteFile("/sys/block/"+name+"/disksize", fmt.Append(nil, int64(size)), 0); err != nil {
		tb.Skip("setting the size of ", name, ": ", err)
	}
	file, err := os.OpenFile("/dev/"+name, os.O_RDWR|unix.O_DIRECT, 0)
	if err != nil {
		tb.Skip("opening ", name, ": ", err)
	}
	tb.Cleanup(func() {
		_ = file.Close()
		_ = os.WriteFile("/sys/block/"+name+"/reset", []byte("1"), 0)
	})
	buffered, err := os.OpenFile("/dev/"+name, os.O_WRONLY, 0)
	if err != nil {
		tb.Skip("opening ", name, ": ", err)
	}
	defer buffered.Close()
	if _, err := buffered.Write(noise(size)); err != nil {
		tb.Skip("filling ", name, ": ", err)
	}
	_ = buffered.Sync()
	return file, size
}
