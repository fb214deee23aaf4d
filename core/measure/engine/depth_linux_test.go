package engine_test

import (
	"context"
	"fmt"
	"math"
	"testing"
	"time"

	"opengauge/core/load"
	"opengauge/core/measure/engine"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// fileDelay is how long the file takes for an operation.
const fileDelay = 20 * time.Millisecond

// The depth that is asked is what a file sees that counts what is under way in it, for
// every way to the kernel, and what the result says.
func TestDepthIsWhatTheFileSees(t *testing.T) {
	t.Parallel() // it mostly waits
	slow := witness.Mount(t, fileDelay)
	for _, c := range []struct {
		carrier target.Carrier
		queue   string
		depth   int
	}{
		{target.Automatic, "positioned calls", 1}, {target.Native, "io_uring", 4}, {target.Native, "io_uring", 16},
		{target.Threads, "thread pool", 1}, {target.Threads, "thread pool", 4}, {target.Threads, "thread pool", 16},
	} {
		opened, err := target.OpenPath(slow.Folder, target.PathOptions{Size: unit.MiB, Carrier: c.carrier})
		if err != nil {
			t.Fatal(err)
		}
		for _, operation := range []load.Operation{load.Write, load.Read} {
			l := load.New(operation, load.Random, 4096, c.depth)
			l.Span = opened.Description().Span
			witness.Again(t, func() string { return depthFault(t, opened, slow, l, c.queue) })
		}
		if err := opened.Close(); err != nil {
			t.Error(err)
		}
	}
	if slow.Flushes() < 6 {
		t.Errorf("the file saw %d flushes, want one behind each pass that writes", slow.Flushes())
	}
}

// depthFault runs a load and says what is wrong with its depth, or nothing.
func depthFault(t *testing.T, on target.Target, slow *witness.Slow, l load.Load, queue string) string {
	t.Helper()
	_, _ = slow.Peak()
	r, err := engine.Run(context.Background(), on, engine.Request{
		Load: l, Area: areaOf(l, 0), Timing: engine.Timing{Hold: 400 * time.Millisecond, Sample: 100 * time.Millisecond},
	})
	if err != nil {
		t.Fatal(err)
	}
	peak, operations := slow.Peak()
	if peak != l.Depth || r.Queue != queue || !(math.Abs(r.MeanDepth/float64(l.Depth)-1) < 0.1) {
		return fmt.Sprintf("%s: the file saw %d at once, the result says %.2f by %s", l, peak, r.MeanDepth, r.Queue)
	}
	if total := r.Operations + r.CutOff; total > int64(operations) || total < int64(operations-l.Depth) {
		return fmt.Sprintf("the file served %d operations, the result has %d and %d cut off", operations, r.Operations,
			r.CutOff)
	}
	if p50 := r.Latency.P50Seconds; !(p50 >= fileDelay.Seconds()) {
		return fmt.Sprintf("%s by %s: half take %.1f ms, the file %s", l, queue, p50*1e3, fileDelay)
	}
	return ""
}

// What is counted is what the kernel counts of a device, whatever carries it.
func TestBytesAreWhatTheKernelCounts(t *testing.T) {
	device := witness.Loop(t, 32*unit.MiB)
	for _, c := range carriers {
		opened, err := target.OpenPath(device, target.PathOptions{
			Carrier: c.carrier, Overwrite: device + ":33554432", OverwriteContents: true,
		})
		if err != nil {
			t.Fatal(err)
		}
		for _, operation := range []load.Operation{load.Write, load.Read} {
			l := load.New(operation, load.Random, 16*unit.KiB, c.depth)
			l.Span = opened.Description().Span
			read, written := witness.Sectors(t, device)
			r, err := engine.Run(context.Background(), opened, engine.Request{
				Load: l, Area: areaOf(l, 0), Timing: engine.Timing{Bytes: 8 * unit.MiB, Sample: 100 * time.Millisecond},
			})
			if err != nil {
				t.Fatal(err)
			}
			readAfter, writtenAfter := witness.Sectors(t, device)
			read, written = readAfter-read, writtenAfter-written
			if r.Moved.Read != read || r.Moved.Written != written || r.Bytes != 8*unit.MiB {
				t.Errorf("%s %s: moved %+v, the kernel counted %d read and %d written", c.queue, operation, r.Moved, read,
					written)
			}
			if u := r.Usage; !u.Known || u.Device.Read != read || u.Device.Written != written {
				t.Errorf("%s %s: the result has %+v of the device's counters", c.queue, operation, u.Device)
			}
		}
		_ = opened.Close()
	}
}

// areaOf returns the area that a load's span says, in cells of a size.
func areaOf(l load.Load, cell unit.Bytes) load.Area {
	area, _ := l.Area(load.Geometry{Length: l.Span, Cell: cell}) // a bad one is refused by the engine
	return area
}
