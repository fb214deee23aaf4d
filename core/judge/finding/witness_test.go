package finding_test

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"

	"opengauge/core/bench/link"
	"opengauge/core/bench/sensor"
	"opengauge/core/bench/survey"
	"opengauge/core/judge/finding"
	"opengauge/core/measure/run"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/nbd"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// written is a plan from its text.
func written(t *testing.T, text string) plan.Plan {
	t.Helper()
	p, err := plan.Parse("plan.yaml", []byte("plan: of-a-test\nsteps:\n"+text))
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// runOn runs a plan on a target, whatever comes of it.
func runOn(t *testing.T, on target.Target, p plan.Plan, hold time.Duration) (*session.Session, error) {
	t.Helper()
	return runWatched(on, p, hold, nil)
}

func runWatched(on target.Target, p plan.Plan, hold time.Duration, watch func(run.Progress)) (*session.Session,
	error) {
	return run.Run(context.Background(), run.Request{
		ID: session.NewID(), Plan: p, Hold: hold, Target: on, Sensors: sensor.None{}, Chain: link.NewChain(),
		StallAfter: run.StallAfter, ReturnWithin: time.Second, Environment: survey.Environment("test"),
	}, nowhere{}, watch)
}

func volume(t *testing.T, s *witness.Server) *nbd.Volume {
	t.Helper()
	v, err := nbd.Open(context.Background(), s.Address, nbd.Options{Overwrite: witness.Export})
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// Every byte that reached the server is in the session, and a limit of bytes is kept to
// a block.
func TestWhatMovedIsWhatTheServerSaw(t *testing.T) {
	t.Parallel() // it mostly waits
	const size = 16 * unit.MiB
	server := witness.Serve(t, size, "--filter=delay", "delay-write=1ms")
	cases := []struct {
		name, steps   string
		read, written unit.Bytes // 0 is not known beforehand
	}{
		{"over twice", "  - sustain: {operation: write, access: random, block: 64KiB, depth: 8, over: 2x}", 0,
			2 * size},
		{"bytes", "  - sweep: {operation: [read, write], access: random, block: 4KiB, depth: [1, 8], bytes: 1MiB}",
			2 * unit.MiB, 2 * unit.MiB},
		{"bytes of several workers", "  - sweep: {operation: [read, write], access: random, block: 4KiB, depth: 2, " +
			"workers: 3, bytes: 1MiB}", unit.MiB, unit.MiB},
		{"settling", "  - sweep: {operation: write, access: sequential, block: 64KiB, depth: 4}", 0, 0},
		{"mixed", "  - sweep: {operation: mixed, write-share: 30%, access: random, block: 4KiB, depth: 4}", 0, 0},
	}
	seen := 0
	for _, c := range cases {
		hold := 300 * time.Millisecond
		if c.read+c.written > 0 {
			hold = time.Minute
		}
		s, err := runOn(t, volume(t, server), written(t, c.steps), hold)
		if err != nil {
			t.Fatalf("%s: %v", c.name, err)
		}
		all := server.Requests(t)
		read, written := witness.SumMoved(all[seen:])
		seen = len(all)
		if len(s.Moved) != 1 || s.Moved[0].ReadBytes != read || s.Moved[0].WrittenBytes != written ||
			read+written == 0 {
			t.Errorf("%s: the session has %+v, the server saw %d read and %d written", c.name, s.Moved, read, written)
		}
		const probe = 512 // of the last block, before anything else
		if c.read > 0 && read != c.read+probe || c.written > 0 && written != c.written {
			t.Errorf("%s: the server saw %d read and %d written, want %d and %d", c.name, read, written, c.read,
				c.written)
		}
	}
}

// What the server holds compresses as was asked, whatever step wrote it: for a compressor
// that sees all of it at once.
func TestWhatIsWrittenCompressesAsAsked(t *testing.T) {
	t.Parallel() // it mostly waits
	const size = 16 * unit.MiB
	server := witness.Serve(t, size)
	for _, c := range []struct {
		steps string
		want  float64
	}{
		// The tenth that stays empty compresses to nothing.
		{"  - fill:\n      levels: [90%]\n      steps:\n        - sweep: {operation: write, access: sequential, " +
			"block: 4KiB, depth: 1, bytes: 4KiB, compressible: 50%}\n", 0.45},
		{"  - sustain: {operation: write, access: sequential, block: 4KiB, depth: 8, over: 1x}", 1},
		{"  - sustain: {operation: write, access: sequential, block: 1MiB, depth: 8, over: 1x, compressible: 50%}", 0.5},
		{"  - sweep: {operation: write, access: sequential, block: 4KiB, depth: 4, bytes: 16MiB, compressible: 25%}", 0.75},
	} {
		if _, err := runOn(t, volume(t, server), written(t, c.steps), time.Minute); err != nil {
			t.Fatal(err)
		}
		compressor, err := zstd.NewWriter(nil, zstd.WithWindowSize(int(size)))
		if err != nil {
			t.Fatal(err)
		}
		if got := float64(len(compressor.EncodeAll(server.Content(t), nil))) / float64(size); !(math.Abs(got-c.want) < 0.03) {
			t.Errorf("%s: what the server holds compresses to %.3f, want %.2f", c.steps, got, c.want)
		}
	}
}

// At each level of a fill, no more was written than the level means, and passes touch
// what is filled.
func TestALevelIsWhatTheServerHolds(t *testing.T) {
	t.Parallel() // it mostly waits
	const size = 32 * unit.MiB
	server := witness.Serve(t, size)
	p := written(t, `  - fill:
      levels: [0%, 25%, 50%]
      steps:
        - sweep: {operation: [write, read], access: random, block: 4KiB, depth: 4}
`)
	s, err := runOn(t, volume(t, server), p, 200*time.Millisecond)
	if err != nil {
		t.Fatal(err)
	}
	requests := server.Requests(t)
	if touched := witness.TouchedBytes(requests); touched != size/2 {
		t.Errorf("%s of %s were written at the end of 50 %%", touched.Capacity(), size.Capacity())
	}
	reach, at := int64(0), 1 // the first request looks whether the last block is there
	for i, pass := range s.Passes {
		// The requests of a pass are as many as it moved, and come in its order.
		for ; at < len(requests) && requests[at].Write == (i%2 == 0); at++ {
			reach = max(reach, requests[at].Offset+requests[at].Length)
		}
		share := float64(reach) / float64(size)
		if limit := max(pass.FillShare, 0.1); share > limit+1e-9 || pass.FillShare > 0 && share < pass.FillShare-0.01 {
			t.Errorf("pass %d, %.0f %% full: the device was touched up to %.0f %%", i+1, pass.FillShare*100, share*100)
		}
	}
	if len(s.Passes) != 6 {
		t.Fatalf("%d passes", len(s.Passes))
	}
}

// Sectors that cannot be read are errors with their place, and no device that vanished.
func TestErrorsAreNoOutage(t *testing.T) {
	t.Parallel() // it mostly waits
	const reads = "  - sweep: {operation: read, access: random, block: 4KiB, depth: 4"
	for name, c := range map[string]struct {
		what, rate, steps string
		failed            bool
	}{
		"a few":      {"pread=EIO", "pread-rate=5%", reads + ", rate: 400}", false},
		"all reads":  {"pread=EIO", "pread-rate=100%", reads + "}", true},
		"forbidden":  {"pread=EPERM", "pread-rate=100%", reads + "}", true},
		"all writes": {"pwrite=ENOSPC", "pwrite-rate=100%", strings.ReplaceAll(reads, "read,", "write,") + "}", true},
	} {
		trigger := filepath.Join(t.TempDir(), "fail") // from when on the server fails, as it exists
		on := volume(t, witness.Serve(t, 8*unit.MiB, "--filter=error", "error-"+c.what, "error-"+c.rate,
			"error-file="+trigger))
		fail := sync.OnceFunc(func() { _ = os.WriteFile(trigger, nil, 0o600) })
		hold := time.Second
		if c.failed { // which ends the pass, however late it begins to fail
			hold = time.Hour
		}
		s, err := runWatched(on, written(t, c.steps), hold, func(p run.Progress) {
			if p.Elapsed > 0 { // a pass counts
				fail()
			}
		})
		if s == nil {
			t.Fatalf("%s: there is no session: %v", name, err)
		}
		if c.failed != (err != nil) || c.failed != (s.State == session.Failed) {
			t.Errorf("%s: the session is %s, error %v", name, s.State, err)
		}
		kinds := map[string]session.Finding{}
		for _, f := range finding.Detect(s, unit.Decimal) {
			kinds[f.Kind] = f
		}
		if _, gone := kinds["dropout"]; gone || len(s.Events) > 0 {
			t.Errorf("%s: a device that was there vanished: %+v", name, s.Events)
		}
		evidence, ok := finding.EvidenceOf[finding.IOErrorsEvidence](kinds["io-errors"])
		if !ok || evidence.Count < 1 || evidence.FirstOffset == nil || *evidence.ToOffset >= int64(8*unit.MiB) ||
			evidence.Error == "" {
			t.Errorf("%s: io-errors has %+v", name, kinds["io-errors"])
		}
		if p := s.Passes[0]; p.Errors != evidence.Count || name == "a few" && p.Errors > 80 {
			t.Errorf("%s: the pass has %d errors, the finding %d", name, p.Errors, evidence.Count)
		}
	}
}

// A server that says that it holds more than it does is refused before anything runs.
func TestAServerThatLiesAboutItsSize(t *testing.T) {
	t.Parallel() // it mostly waits
	server := witness.Serve(t, 8*unit.MiB, "--filter=error", "error-pread=EIO", "error-pread-rate=100%")
	s, err := runOn(t, volume(t, server), written(t, "  - sweep: {operation: write, access: random, block: 4KiB, "+
		"depth: 4}"),
		time.Second)
	if s != nil || err == nil || !strings.Contains(err.Error(), "says that it holds 8.39 MB (8 MiB)") {
		t.Errorf("it is measured: %v", err)
	}
	if _, written := witness.SumMoved(server.Requests(t)); written > 0 {
		t.Errorf("%d bytes were written", written)
	}
}

// A server that ends is a device that vanished.
func TestAServerThatEndsIsAnOutage(t *testing.T) {
	t.Parallel() // it mostly waits
	server := witness.Serve(t, 8*unit.MiB)
	v := volume(t, server)
	kill := sync.OnceFunc(server.Kill)
	s, err := runWatched(v, written(t, "  - sweep: {operation: read, access: random, block: 4KiB, depth: 4}"), time.Hour,
		func(p run.Progress) {
			if p.Elapsed > 0 { // a pass counts
				kill()
			}
		})
	if s == nil {
		t.Fatal("there is no session: ", err)
	}
	if err == nil || s.State != session.Failed || len(s.Events) == 0 || s.Events[0].Kind != "dropout" {
		t.Errorf("the session is %s with %+v, error %v", s.State, s.Events, err)
	}
	for _, f := range finding.Detect(s, unit.Decimal) {
		if f.Kind == "io-errors" {
			t.Errorf("an outage is also %q", f.Summary)
		}
	}
}

// A flush that takes long is told as one, and as no silence.
func TestASlowFlushOfAServer(t *testing.T) {
	t.Parallel() // it mostly waits
	server := witness.ServeSlowFlush(t, 8*unit.MiB, 5)
	s, err := runOn(t, volume(t, server),
		written(t, "  - sweep: {operation: write, access: sequential, block: 64KiB, depth: 4, bytes: 4MiB}"),
		time.Second)
	if err != nil {
		t.Fatal(err)
	}
	flush := s.Passes[0].FlushSeconds
	if !(flush >= 5) { // the server sleeps for at least as long
		t.Errorf("the flush took %v s, the server 5", flush)
	}
	told := false
	for _, f := range finding.Detect(s, unit.Decimal) {
		told = told || f.Kind == "slow-flush" && strings.Contains(f.Summary, fmt.Sprintf("took %.1f s to empty", flush))
		if f.Kind == "dropout" {
			t.Errorf("a flush is %q", f.Summary)
		}
	}
	if !told {
		t.Error("a flush of 5 s is not told")
	}
}

// A flush that takes long is a slow flush and nothing else, as long as the storage answers a read meanwhile.
// One of storage that answers nothing is an outage.
func TestALongFlushIsNoOutage(t *testing.T) {
	t.Parallel() // it mostly waits
	for name, answers := range map[string]bool{"answers": true, "silent": false} {
		server := witness.ServeSlowFlush(t, 8*unit.MiB, 6)
		on := target.Target(volume(t, server))
		if !answers {
			on = silent{on}
		}
		s, err := run.Run(context.Background(), run.Request{
			ID: session.NewID(), Target: on, Hold: time.Second, Sensors: sensor.None{}, Chain: link.NewChain(),
			Plan:       written(t, "  - sweep: {operation: write, access: sequential, block: 64KiB, depth: 4, bytes: 4MiB}"),
			StallAfter: time.Second, ReturnWithin: time.Minute, Environment: survey.Environment("test"),
		}, nowhere{}, nil)
		if err != nil {
			t.Fatal(err)
		}
		kinds := map[string]bool{}
		for _, f := range finding.Detect(s, unit.Decimal) {
			kinds[f.Kind] = true
		}
		if kinds["dropout"] == answers || !kinds["slow-flush"] {
			t.Errorf("%s: found %v, events %+v", name, kinds, s.Events)
		}
	}
}

// silent is storage that cannot be asked anything beside its work.
type silent struct{ target.Target }
