package engine_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"golang.org/x/sys/unix"

	"opengauge/core/load"
	"opengauge/core/measure/engine"
	"opengauge/core/storage/direct"
	"opengauge/core/storage/ring"
	"opengauge/core/storage/sim"
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
	compare(b, file, reads(load.Random, 4096, 32, span))
}

func BenchmarkSequentialDepth8OnZram(b *testing.B) {
	file, span := zram(b, 256*unit.MiB)
	compare(b, file, reads(load.Sequential, unit.MiB, 8, span))
}

func BenchmarkRandomDepth32OnDisk(b *testing.B) {
	file, span := filled(b, b.TempDir(), 256*unit.MiB, unix.O_DIRECT)
	compare(b, file, reads(load.Random, 4096, 32, span))
}

func BenchmarkRandomDepth1InMemory(b *testing.B) {
	folder, err := os.MkdirTemp("/dev/shm", "opengauge-bench-")
	if err != nil {
		b.Skip("no file system in memory: ", err)
	}
	b.Cleanup(func() { _ = os.RemoveAll(folder) })
	file, span := filled(b, folder, 256*unit.MiB, unix.O_DIRECT)
	compare(b, file, reads(load.Random, 4096, 1, span))
}

// reads is a load that reads a span.
func reads(access load.Access, block unit.Bytes, depth int, span unit.Bytes) load.Load {
	l := load.New(load.Read, access, block, depth)
	l.Span = span
	return l
}

// Writes are held against the same loop; what verified and compressible ones cost is
// said.
func BenchmarkSequentialWritesDepth8OnZram(b *testing.B) {
	for _, name := range []string{"plain", "compressible", "verified"} {
		b.Run(name, func(b *testing.B) {
			file, span := zram(b, 256*unit.MiB)
			l := load.New(load.Write, load.Sequential, unit.MiB, 8)
			l.Span = span
			var ledger *engine.Ledger
			switch name {
			case "compressible":
				l.CompressibleShare = 0.5
			case "verified":
				ledger = engine.NewLedger(load.Geometry{Length: span, Cell: engine.LargestCell}, 1)
			}
			compareWith(b, file, l, ledger)
		})
	}
}

// A simulated operation with the engine that measures it.
func BenchmarkSimulatedOperation(b *testing.B) {
	bench, err := sim.DemoBench()
	if err != nil {
		b.Fatal(err)
	}
	part, err := bench.Open("sandpiper", sim.Options{Ambient: 23})
	if err != nil {
		b.Fatal(err)
	}
	l := reads(load.Random, 4096, 32, part.Description().Span)
	bytes := unit.Bytes(max(b.N, 32)) * l.Block
	b.ReportAllocs()
	b.ResetTimer()
	if _, err := engine.Run(context.Background(), part, engine.Request{
		Load: l, Area: areaOf(l, 0), Timing: engine.Timing{Bytes: bytes, Sample: time.Second},
	}); err != nil {
		b.Fatal(err)
	}
}

func compare(b *testing.B, file *os.File, l load.Load) {
	b.Helper()
	compareWith(b, file, l, nil)
}

func compareWith(b *testing.B, file *os.File, l load.Load, ledger *engine.Ledger) {
	b.Helper()
	overwrite := ""
	if info, err := file.Stat(); err == nil && l.Writes() && info.Mode()&os.ModeDevice != 0 {
		overwrite = fmt.Sprintf("%s:%d", file.Name(), l.Span)
	}
	opened, err := target.OpenPath(file.Name(), target.PathOptions{Overwrite: overwrite,
		OverwriteContents: true})
	if err != nil {
		b.Skip("opening it as a target: ", err)
	}
	defer opened.Close()
	var speeds, processors []float64
	for range rounds {
		theirs := bareLoop(b, file, l)
		if ledger != nil {
			ledger.Begin()
		}
		result, err := engine.Run(context.Background(), opened, engine.Request{
			Load: l, Area: areaOf(l, ledger.Cell()), Ledger: ledger,
			Timing: engine.Timing{Settle: 50 * time.Millisecond, Hold: stretch, Sample: 100 * time.Millisecond},
		})
		if err != nil {
			b.Fatal(err)
		}
		ours := bare{result.Operations, result.Elapsed, result.Usage.Processor}
		speeds = append(speeds, ours.rate()/theirs.rate())
		processors = append(processors, ours.cost()/theirs.cost())
	}
	b.ReportMetric(median(speeds), "of-bare")
	b.ReportMetric(median(processors), "cpu-of-bare")
	b.ReportMetric(0, "ns/op")
}

// bare is what a bare loop of the program's own system calls reached.
type bare struct {
	operations         int64
	elapsed, processor time.Duration
}

func (b bare) rate() float64 { return float64(b.operations) / b.elapsed.Seconds() }
func (b bare) cost() float64 { return b.processor.Seconds() / float64(b.operations) }

// bareLoop keeps reads under way for a stretch of time, on a ring, or at depth 1 by
// positioned calls. It records nothing: no clock is read and nothing is counted but
// the operations.
func bareLoop(b *testing.B, file *os.File, l load.Load) bare {
	b.Helper()
	chance, next := rand.NewPCG(1, 2), int64(0)
	blocks := int64(l.Span / l.Block)
	offset := func() int64 {
		if l.Access == load.Random {
			return int64(chance.Uint64()%uint64(blocks)) * int64(l.Block)
		}
		next++
		return next % blocks * int64(l.Block)
	}
	made, err := bare{}, error(nil)
	began, used := time.Now(), target.ProcessorTime()
	if l.Depth == 1 {
		made.operations, err = bareCalls(file, l, offset)
	} else {
		made.operations, err = bareRing(file, l, offset)
	}
	if err != nil {
		b.Skip("the bare loop cannot run here: ", err)
	}
	made.elapsed, made.processor = time.Since(began), target.ProcessorTime()-used
	return made
}

func bareRing(file *os.File, l load.Load, offset func() int64) (operations int64, err error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	r, err := ring.Open(file, l.Depth, int(l.Block))
	if err != nil {
		return 0, err
	}
	defer r.Close()
	push := func(slot int) {
		r.Push(ring.Operation{Slot: slot, Write: l.Writes(), Offset: offset(), Length: int(l.Block)})
	}
	for slot := range l.Depth {
		copy(r.Buffer(slot), noise(l.Block)) // as incompressible as what the pass writes
		push(slot)
	}
	for began := time.Now(); time.Since(began) < stretch; {
		for range 64 { // looks at the clock once in many rounds
			if err := r.Enter(time.Second); err != nil {
				return 0, err
			}
			for range r.Waiting() {
				slot, _, err := r.Pop()
				if err != nil {
					return 0, err
				}
				push(slot)
				operations++
			}
		}
	}
	return operations, nil
}

func bareCalls(file *os.File, l load.Load, offset func() int64) (operations int64, err error) {
	buffer, fd := direct.Buffer(int(l.Block)), int(file.Fd())
	for began := time.Now(); time.Since(began) < stretch; {
		for range 1024 {
			if _, err := unix.Pread(fd, buffer, offset()); err != nil {
				return 0, err
			}
		}
		operations += 1024
	}
	return operations, nil
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
	for i := range data {
		state ^= state << 13
		state ^= state >> 7
		state ^= state << 17
		data[i] = byte(state >> 24)
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
	if err := buffered.Sync(); err != nil {
		tb.Skip("filling ", name, ": ", err)
	}
	return file, size
}
