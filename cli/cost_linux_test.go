package cli_test

import (
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"
	"testing"
	"time"
)

// BenchmarkStartUp is how long a person waits for help: the median of some
// starts. It has to stay under 50 ms.
func BenchmarkStartUp(b *testing.B) {
	var took []float64
	for range 21 {
		began := time.Now()
		if err := exec.Command(program, "--help").Run(); err != nil {
			b.Fatal(err)
		}
		took = append(took, time.Since(began).Seconds()*1e3)
	}
	slices.Sort(took)
	b.ReportMetric(took[len(took)/2], "ms-to-help")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkInterrupt is how long a measurement takes to end once it is interrupted: the median
// of some. It has to stay under two seconds.
func BenchmarkInterrupt(b *testing.B) {
	var took []float64
	for range 5 {
		command := exec.Command(program, "measure", b.TempDir(), "--size", "64MiB", "--hold", "1m", "--logbook",
			b.TempDir()+"/logbook.db")
		if err := command.Start(); err != nil {
			b.Fatal(err)
		}
		for !works(command.Process.Pid) {
			time.Sleep(time.Millisecond)
		}
		began := time.Now()
		_ = command.Process.Signal(os.Interrupt)
		_ = command.Wait()
		took = append(took, time.Since(began).Seconds()*1e3)
	}
	slices.Sort(took)
	b.ReportMetric(took[len(took)/2], "ms-to-end")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkResidentMemory is what a measurement takes beyond its buffers, which
// are depth by block size by workers. It has to stay under 64 MB.
func BenchmarkResidentMemory(b *testing.B) {
	const depth, block = 32, 4 << 10
	plan := planFile(b, "{operation: [read, write], access: random, block: 4KiB, depth: 32, hold: 2s}")
	command := exec.Command(program, "measure", b.TempDir(), "--plan", plan, "--size", "64MiB", "--logbook",
		b.TempDir()+"/logbook.db", "--sample", "10ms")
	if err := command.Start(); err != nil {
		b.Fatal(err)
	}
	ended := make(chan error)
	go func() { ended <- command.Wait() }()
	highest := 0
	for running := true; running; {
		select {
		case err := <-ended:
			if err != nil {
				b.Fatal(err)
			}
			running = false
		case <-time.After(20 * time.Millisecond):
			highest = max(highest, highWater(command.Process.Pid))
		}
	}
	b.ReportMetric(float64(highest-depth*block)/1e6, "MB-beyond-buffers")
	b.ReportMetric(0, "ns/op")
}

// highWater is the most memory that a process has had resident, in bytes
// (proc(5), VmHWM), or 0 once it has ended. What the system reports of a process
// that has ended counts its parent's memory too.
func highWater(process int) int {
	text, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", process))
	_, rest, _ := strings.Cut(string(text), "VmHWM:")
	kilobytes := 0
	_, _ = fmt.Sscan(rest, &kilobytes)
	return kilobytes * 1024
}
