package cli_test

import (
	"context"
	"fmt"
	"iter"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"syscall"
	"testing"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/plan"
	"opengauge/core/record/exchange"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// The size of a large logbook: OPENGAUGE_SESSIONS sessions, or 100 000, of twenty
// passes and three hundred samples each.
const (
	largeSessions    = 100_000
	importedSessions = 10_000
	passesEach       = 20
	samplesEach      = 300
)

func sessionsWanted(otherwise int) int {
	if count, err := strconv.Atoi(os.Getenv("OPENGAUGE_SESSIONS")); err == nil && count > 0 {
		return min(count, otherwise)
	}
	return otherwise
}

// made gives sessions that differ as real ones do.
func made(count int) iter.Seq2[*session.Session, error] {
	r := rand.New(rand.NewPCG(1, 2))
	usb, _ := link.Find("usb 3.2 gen 2")
	pcie, _ := link.Find("pcie 3.0 x4")
	quick, _ := plan.Load("quick")
	return func(yield func(*session.Session, error) bool) {
		for number := range count {
			s := &session.Session{
				Format: session.Format, ID: fmt.Sprintf("b%07d", number), Name: fmt.Sprintf("bench-%d", number),
				State:   session.Complete,
				Started: time.Date(2020, 1, 1, 0, number, 0, 0, time.UTC), Ended: time.Date(2020, 1, 1, 0, number+1,
					0, 0, time.UTC), Plan: quick,
				Target: session.Target{Address: "/media/stick", Kind: "folder", SpanBytes: unit.GiB},
				Chain:  link.NewChain(usb.Hop("port"), pcie.Hop("drive")),
				Parts: []book.Part{{Kind: book.Drive, Name: fmt.Sprintf("drive-%d", number%40), Price: 80,
					Capacity: 1e12}},
				Conditions: map[string]string{"fan": []string{"on", "off"}[number/40%2],
					"run": strconv.Itoa(number % 20), "deck": strconv.Itoa(number / 80)}, Events: []session.Event{},
				Findings: []session.Finding{},
			}
			for i := range passesEach {
				rate := 1e9 * (0.8 + 0.4*r.Float64())
				pass := session.Pass{
					Index: i, Step: "sweep", Load: load.New([]load.Operation{load.Read, load.Write}[i%2],
						load.Sequential, unit.MiB, 1<<(i/4)),
					Repeat: i / 2 % 2, Direct: true, ElapsedSeconds: 5, Bytes: unit.Bytes(5 * rate),
					BytesPerSecond: unit.BytesPerSecond(rate),
				}
				for second := range samplesEach / passesEach {
					value := rate * (0.98 + 0.04*r.Float64())
					pass.Samples = append(pass.Samples, session.Sample{
						TSeconds: float64(second+1) / 3, ElapsedSeconds: 1.0 / 3, Bytes: unit.Bytes(value / 3),
						Operations:     int64(value / 3 / 1048576),
						BytesPerSecond: unit.BytesPerSecond(value), IOPS: value / 1048576, P50Seconds: 0.0078,
						P99Seconds:          0.009,
						TemperaturesCelsius: map[string]unit.Celsius{"drive": unit.Celsius(40 + second)},
					})
				}
				s.Passes = append(s.Passes, pass)
			}
			if !yield(s, nil) {
				return
			}
		}
	}
}

// timed runs the program and gives how long it took, and the most memory it had.
func timed(b *testing.B, arguments ...string) (time.Duration, float64) {
	b.Helper()
	command := exec.Command(program, arguments...)
	began := time.Now()
	if out, err := command.CombinedOutput(); err != nil {
		b.Fatalf("opengauge %v: %v\n%s", arguments, err, out)
	}
	return time.Since(began), float64(command.ProcessState.SysUsage().(*syscall.Rusage).Maxrss) / 1024
}

func BenchmarkLargeLogbook(b *testing.B) {
	path := filepath.Join(b.TempDir(), "large.db")
	book, err := logbook.Create(context.Background(), path)
	if err != nil {
		b.Fatal(err)
	}
	count := sessionsWanted(largeSessions)
	if _, err := book.Import(made(count)); err != nil {
		b.Fatal(err)
	}
	if err := book.Close(); err != nil {
		b.Fatal(err)
	}
	// What a process had resident before it was another program counts as its own
	// (getrusage(2)), so this one lets go of what it had (proc(5), clear_refs).
	debug.FreeOSMemory()
	if err := os.WriteFile("/proc/self/clear_refs", []byte("5"), 0); err != nil {
		b.Log("the memory includes that of the benchmark: ", err)
	}
	one, other := fmt.Sprintf("b%07d", count/2), fmt.Sprintf("b%07d", count/2+1)
	for _, c := range []struct {
		name      string
		arguments []string
	}{
		{"open", []string{"logbook", "list", "--limit", "1"}},
		{"list", []string{"logbook", "list"}},
		{"list-condition", []string{"logbook", "list", "--condition", "fan=on", "--condition", "run=12"}},
		{"list-name", []string{"logbook", "list", "--name", "bench-4242"}},
		{"rank", []string{"rank", one}},
		{"compare", []string{"compare", one, other}},
		{"compare-by", []string{"compare", "--by", "fan", "--condition", "deck=7"}},
	} {
		b.Run(c.name, func(b *testing.B) {
			var total time.Duration
			most := 0.0
			for b.Loop() {
				took, memory := timed(b, append([]string{"--logbook", path}, c.arguments...)...)
				total, most = total+took, max(most, memory)
			}
			b.ReportMetric(float64(total.Milliseconds())/float64(b.N), "ms/run")
			b.ReportMetric(most, "MB-resident")
		})
	}
}

func BenchmarkImport(b *testing.B) {
	folder := b.TempDir()
	file := filepath.Join(folder, "sessions.json")
	writeSessions(b, file, sessionsWanted(importedSessions))
	for b.Loop() {
		took, memory := timed(b, "--logbook", filepath.Join(folder, fmt.Sprintf("%d.db", time.Now().UnixNano())),
			"logbook", "import", file)
		b.ReportMetric(took.Seconds(), "s/import")
		b.ReportMetric(memory, "MB-resident")
	}
}

func writeSessions(b *testing.B, name string, count int) {
	b.Helper()
	file, err := os.Create(name)
	if err != nil {
		b.Fatal(err)
	}
	defer file.Close()
	out, err := exchange.NewWriter(file, exchange.JSON, exchange.Plain, exchange.Passes, count)
	if err != nil {
		b.Fatal(err)
	}
	for s := range made(count) {
		if err := out.Add(s); err != nil {
			b.Fatal(err)
		}
	}
	if err := out.Close(); err != nil {
		b.Fatal(err)
	}
}
