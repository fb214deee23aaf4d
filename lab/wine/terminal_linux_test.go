package wine

import (
	"bytes"
	"encoding/json"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// In a console the live view is drawn over and over, and Ctrl-C ends the run: what was
// measured is kept, and nothing is left behind.
func TestWindowsInAConsole(t *testing.T) {
	program, w := windowsWith(t)
	folder, book := t.TempDir(), w.Path(filepath.Join(t.TempDir(), "logbook.db"))
	master, slave := witness.Terminal(t, 40, 100)
	run := w.Command("wine", program, "measure", w.Path(folder), "--size", "16MiB", "--hold", "60s", "--logbook", book)
	run.Stdin, run.Stdout, run.Stderr = slave, slave, slave
	run.SysProcAttr = &syscall.SysProcAttr{Setsid: true, Setctty: true}
	if err := run.Start(); err != nil {
		t.Fatal(err)
	}
	_ = slave.Close()
	shown := follow(master)
	t.Cleanup(func() { _ = run.Process.Kill(); _ = master.Close() })
	shown.await(t, "pass 1/6")
	shown.await(t, "left")
	time.Sleep(3 * time.Second) // a pass that settles has measured nothing yet
	if _, err := master.WriteString("\x03"); err != nil {
		t.Fatal(err)
	}
	shown.await(t, "interrupted; what was measured is kept")
	err := run.Wait()
	if failed := new(exec.ExitError); !errors.As(err, &failed) || failed.ExitCode() == 0 {
		t.Errorf("it ends with %v", err)
	}
	if left, err := os.ReadDir(folder); err != nil || len(left) > 0 {
		t.Errorf("left behind: %v, %v", left, err)
	}
	var s session.Session
	kept := w.Run(t, program, "logbook", "show", "latest", "--json", "--logbook", book)
	if err := json.Unmarshal([]byte(kept), &s); err != nil {
		t.Fatal(err)
	}
	if len(s.Passes) != 1 || !s.Passes[0].CutShort {
		t.Errorf("%d passes are kept", len(s.Passes))
	}
}

// In a pipe it is plain text: nothing steers a terminal.
func TestWindowsInAPipe(t *testing.T) {
	program, w := windowsWith(t)
	machine := absolute(t, "../../core/bench/survey/testdata/machine/windows.tar.gz")
	out := w.Run(t, program, "survey", "--sysroot", w.Path(machine))
	if strings.Contains(out, "\x1b") || !strings.Contains(out, "Sandpiper 1TB") || !strings.Contains(out, "trained low") {
		t.Errorf("it prints %q", out)
	}
}

func absolute(t *testing.T, path string) string {
	t.Helper()
	whole, err := filepath.Abs(path)
	if err != nil {
		t.Fatal(err)
	}
	return whole
}

// screen is what a terminal showed.
type screen struct {
	lock sync.Mutex
	seen bytes.Buffer
}

func follow(master *os.File) *screen {
	s := &screen{}
	go func() {
		buffer := make([]byte, 4096)
		for {
			n, err := master.Read(buffer)
			s.lock.Lock()
			s.seen.Write(buffer[:n])
			s.lock.Unlock()
			if err != nil {
				return
			}
		}
	}()
	return s
}

// await waits until a text was shown.
func (s *screen) await(t *testing.T, text string) {
	t.Helper()
	for until := time.Now().Add(40 * time.Second); time.Now().Before(until); time.Sleep(50 * time.Millisecond) {
		s.lock.Lock()
		found := strings.Contains(s.seen.String(), text)
		s.lock.Unlock()
		if found {
			return
		}
	}
	s.lock.Lock()
	defer s.lock.Unlock()
	t.Fatalf("it does not show %q; it shows %q", text, s.seen.String())
}
