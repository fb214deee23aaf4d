package engine_test

import (
	"context"
	"fmt"
	"strings"
	"syscall"
	"testing"
	"time"

	"opengauge/core/load"
	"opengauge/core/measure/engine"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// A short result, an interrupted call, one that would have to wait and an error are the same whatever carries
// an operation. The file counts what it did.
func TestResultsAreTheSameOnEveryCarrier(t *testing.T) {
	slow := witness.Mount(t, 0)
	const every, blocks, block = 16, 256, 16 * unit.KiB
	for _, c := range carriers {
		opened, err := target.OpenPath(slow.Folder, target.PathOptions{Size: 4 * unit.MiB, Carrier: c.carrier})
		if err != nil {
			t.Fatal(err)
		}
		for name, with := range map[string]syscall.Errno{
			"short": 0, "interrupted": syscall.EINTR, "would wait": syscall.EAGAIN, "an error": syscall.EIO,
		} {
			for _, operation := range []load.Operation{load.Write, load.Read} {
				l := load.New(operation, load.Sequential, block, c.depth)
				l.Span = opened.Description().Span
				_ = slow.Spoiled()
				slow.Spoil(every, with)
				r, err := engine.Run(context.Background(), opened, engine.Request{
					Load: l, Area: areaOf(l, 0), Timing: engine.Timing{Bytes: blocks * block, Sample: 100 * time.Millisecond},
				})
				slow.Spoil(0, 0)
				spoiled := int64(slow.Spoiled())
				if err != nil || r.Queue != c.queue || spoiled < blocks/every {
					t.Errorf("%s, %s by %q: %v, %d were spoiled", name, operation, r.Queue, err, spoiled)
				}
				if fault := resultFault(r, with, spoiled, blocks); fault != "" {
					t.Errorf("%s, %s by %s: %s", name, operation, c.queue, fault)
				}
			}
		}
		if err := opened.Close(); err != nil {
			t.Error(err)
		}
	}
}

// resultFault says what is wrong with the result of so many operations, of which the file spoiled some.
func resultFault(r engine.Result, with syscall.Errno, spoiled, operations int64) string {
	errors, short, retried := int64(0), int64(0), int64(0)
	switch with {
	case 0:
		errors = spoiled
		short = spoiled
	case syscall.EIO:
		errors = spoiled
	default:
		retried = spoiled
	}
	if r.Queue == "io_uring" && r.Operations == operations && (with == syscall.EAGAIN || with == 0) {
		// The kernel asks again itself: for the rest of a short result of a file or a block device, and on a
		// thread that may wait (Linux 6.1, io_uring/rw.c: need_complete_io, io_rw_should_reissue). Nobody can
		// count it.
		errors = 0
		short = 0
		retried = 0
	}
	if r.Errors != errors || r.Short != short || r.Retried != retried || r.Operations != operations-errors {
		return fmt.Sprintf("%d operations, %d errors, %d short and %d retried of %d spoiled", r.Operations, r.Errors, r.Short,
			r.Retried, spoiled)
	}
	if short > 0 && !strings.Contains(r.FirstError.Error(), "short result: 8192 of 16384 bytes") {
		return fmt.Sprintf("a short result is %q", r.FirstError)
	}
	if r.Moved.Read+r.Moved.Written != unit.Bytes(r.Operations)*16*unit.KiB {
		return fmt.Sprintf("%d operations moved %+v", r.Operations, r.Moved)
	}
	return ""
}
