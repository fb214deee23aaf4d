package wine

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// wanted skips what nobody asked for.
func wanted(t *testing.T) {
	t.Helper()
	if os.Getenv("OPENGAUGE_WINE") == "" {
		t.Skip("set OPENGAUGE_WINE=1 to run (make wine)")
	}
}

// made is the Windows program and the Windows that it runs on, which are made once.
var made struct {
	sync.Once
	folder, program string
	wine            *witness.Wine
	err             error
}

func makeOnce() error {
	var err error
	if made.folder, err = os.MkdirTemp("", "opengauge-wine-*"); err != nil {
		return err
	}
	made.program = filepath.Join(made.folder, "opengauge.exe")
	command := exec.Command("go", "build", "-trimpath", "-ldflags=-s -w", "-o", made.program, "opengauge/cmd/opengauge")
	command.Env = append(os.Environ(), "GOOS=windows", "GOARCH=amd64", "CGO_ENABLED=0")
	if out, err := command.CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	made.wine, err = witness.NewWine(filepath.Join(made.folder, "windows"))
	return err
}

// windowsWith gives a Windows and the program for it.
func windowsWith(t *testing.T) (program string, w *witness.Wine) {
	t.Helper()
	wanted(t)
	if _, err := exec.LookPath("wine"); err != nil {
		t.Skip("wine is not here (make tools)")
	}
	made.Do(func() { made.err = makeOnce() })
	if made.err != nil {
		t.Fatal(made.err)
	}
	return made.program, made.wine
}

// TestMain takes them away again.
func TestMain(m *testing.M) {
	code := m.Run()
	if made.wine != nil {
		made.wine.Close()
	}
	if made.folder != "" {
		_ = os.RemoveAll(made.folder)
	}
	os.Exit(code)
}

// The depth that is asked is what a file sees that counts what is under way in it, with
// either queue, and what the session says; latencies are the file's.
func TestWindowsReachesItsDepth(t *testing.T) {
	program, w := windowsWith(t)
	const delay = 20 * time.Millisecond
	slow := witness.Mount(t, delay)
	folder := t.TempDir()
	for _, c := range []struct {
		queue, name string
		depth       int
	}{
		{"automatic", "completion port", 1}, {"automatic", "completion port", 4}, {"automatic", "completion port", 16},
		{"threads", "thread pool", 16},
	} {
		for _, operation := range []string{"read", "write"} {
			plan := filepath.Join(folder, "plan.yaml")
			text := fmt.Sprintf("plan: of-a-test\nsteps:\n"+
				"  - sweep: {operation: %s, access: random, block: 4KiB, depth: %d}\n", operation, c.depth)
			if err := os.WriteFile(plan, []byte(text), 0o600); err != nil {
				t.Fatal(err)
			}
			measure := func() session.Session {
				_, _ = slow.Peak()
				out := w.Run(t, program, "measure", w.Path(slow.Folder), "--size", "1MiB", "--plan", w.Path(plan),
					"--queue", c.queue, "--hold", "600ms", "--json", "--logbook", w.Path(filepath.Join(folder, "logbook.db")))
				var s session.Session
				if err := json.Unmarshal([]byte(out), &s); err != nil {
					t.Fatal(err)
				}
				return s
			}
			// What the file saw holds each time. Means hold unless the machine was busy with
			// something else: then it is measured again.
			told := ""
			for range mostTries {
				s := measure()
				p := s.Passes[0]
				// Filling the file of 1 MiB is one operation, which every run begins with.
				if peak, _ := slow.Peak(); peak != c.depth || p.Queue != c.name {
					t.Errorf("%s %s at depth %d: the file saw %d at once, by %s", c.queue, operation, c.depth, peak, p.Queue)
				}
				if step := s.Environment.ClockStepSeconds; !(step > 0 && step < 5e-6) {
					t.Errorf("the clock moves in steps of %v s", step)
				}
				if told = means(p, c.depth, delay); told == "" {
					break
				}
			}
			if told != "" {
				t.Errorf("%s %s at depth %d: %s", c.queue, operation, c.depth, told)
			}
		}
	}
	if slow.Flushes() < 4 {
		t.Errorf("the file saw %d flushes", slow.Flushes())
	}
	if left, err := os.ReadDir(slow.Folder); err != nil || len(left) > 0 {
		t.Errorf("left behind: %v, %v", left, err)
	}
}

// mostTries is how often means are measured on a busy machine.
const mostTries = 4

// means says what is wrong with the mean depth and the median latency of a pass, if
// anything is.
func means(p session.Pass, depth int, delay time.Duration) string {
	if !(math.Abs(p.MeanDepth/float64(depth)-1) < 0.15) {
		return fmt.Sprintf("the session says that %.2f were under way", p.MeanDepth)
	}
	if p50 := p.Latency.P50; !(p50 > delay.Seconds() && p50 < 1.6*delay.Seconds()) {
		return fmt.Sprintf("half take %.2f ms, the file %s", p50*1e3, delay)
	}
	return ""
}

// What a reviewer does first, on a plain folder, with everything verified.
func TestWindowsMeasures(t *testing.T) {
	program, w := windowsWith(t)
	folder := t.TempDir()
	book := w.Path(filepath.Join(t.TempDir(), "logbook.db"))
	var s session.Session
	out := w.Run(t, program, "measure", w.Path(folder), "--size", "8MiB", "--verify", "--hold", "100ms", "--json",
		"--logbook", book)
	if err := json.Unmarshal([]byte(out), &s); err != nil {
		t.Fatal(err)
	}
	if v := s.Verification; len(s.Passes) != 6 || v == nil || v.Faults > 0 || v.ReadBack != v.Written ||
		v.Written != 2048 {
		t.Errorf("%d passes, verification %+v", len(s.Passes), v)
	}
}
