//go:build linux

package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"sync"
	"syscall"
	"time"

	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
)

func processors() int { return runtime.NumCPU() }

// ran is the cost of running a command.
type ran struct {
	took      time.Duration
	megabytes float64
}

// timed runs the program and gives how long it took, and the most memory it had.
func (s *scale) time(place string, arguments ...string) (ran, error) {
	command := exec.Command(s.program, arguments...)
	command.Env = append(os.Environ(), "OPENGAUGE_LOGBOOK="+place, "XDG_DATA_HOME="+filepath.Join(s.folder, "data"))
	// What a process had resident before it was another program counts as its own
	// (getrusage(2)), so this one lets go of what it had (proc(5), clear_refs).
	debug.FreeOSMemory()
	if err := os.WriteFile("/proc/self/clear_refs", []byte("5"), 0); err != nil {
		return ran{}, err
	}
	began := time.Now()
	out, err := command.CombinedOutput()
	if err != nil {
		return ran{}, fmt.Errorf("opengauge %v: %w\n%s", arguments, err, out)
	}
	usage := command.ProcessState.SysUsage().(*syscall.Rusage)
	return ran{time.Since(began), float64(usage.Maxrss) * 1024 / 1e6}, nil
}

// ask asks questions again and again, and prints the table.
func (s *scale) ask(place string, questions []question) error {
	fmt.Fprintf(s.out, "| question | median, ms | 99 of 100, ms | memory, MB |\n|---|---|---|---|\n")
	for _, each := range questions {
		var times []time.Duration
		most := 0.0
		for range s.times {
			got, err := s.time(place, each.arguments...)
			if err != nil {
				return err
			}
			times = append(times, got.took)
			most = max(most, got.megabytes)
		}
		slices.Sort(times)
		median := times[len(times)/2]
		late := times[len(times)*99/100]
		fmt.Fprintf(s.out, "| %s | %d | %d | %.0f |\n", each.name, median.Milliseconds(), late.Milliseconds(), most)
		s.hold(each.name, median, each.median)
		s.holdMemory(each.name, most)
	}
	fmt.Fprintln(s.out)
	return nil
}

func (s *scale) hold(name string, took, allowed time.Duration) {
	if s.limit > 0 && !(took.Seconds() <= s.limit*allowed.Seconds()) {
		s.beyond = append(s.beyond, fmt.Sprintf("%s took %s", name, took))
	}
}

// holdMemory holds the program to 150 MB; memory is not noisy, and has no factor.
func (s *scale) holdMemory(name string, megabytes float64) {
	const allowed = 150
	if s.limit > 0 && !(megabytes <= allowed) {
		s.beyond = append(s.beyond, fmt.Sprintf("%s had %.0f MB", name, megabytes))
	}
}

// benches lets so many record sessions, a pass a second each, until it is stopped.
func (s *scale) benches(place string, count int) (stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	var group sync.WaitGroup
	for bench := range count {
		group.Go(func() {
			time.Sleep(time.Duration(bench) * time.Second / time.Duration(count))
			if err := record(ctx, place, s.sessions*10+bench*1_000_000); err != nil && ctx.Err() == nil {
				fmt.Fprintln(os.Stderr, "a bench:", err)
			}
		})
	}
	return func() { cancel(); group.Wait() }
}

// record records sessions from a number on, a pass a second.
func record(ctx context.Context, place string, number int) error {
	book, err := logbook.Open(ctx, place)
	if err != nil {
		return err
	}
	defer book.Close()
	for ; ctx.Err() == nil; number++ {
		s := one(number)
		s.Started = time.Now().UTC()
		keeper := logbook.Keep(place, book)
		if err := keeper.Begin(s); err != nil {
			return err
		}
		for _, pass := range s.Passes {
			if err := addAfter(ctx, keeper, s, pass); err != nil {
				break
			}
		}
		if err := keeper.Finish(s); err != nil {
			return err
		}
		if waits, err := keeper.Close(); err != nil || waits != "" {
			return fmt.Errorf("%s %w", waits, err)
		}
	}
	return nil
}

func addAfter(ctx context.Context, keeper *logbook.Keeper, s *session.Session, pass session.Pass) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(time.Second):
		return keeper.AddPass(s.ID, pass)
	}
}
