package witness

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// Wine runs Windows programs.
type Wine struct{ folder string }

// StartWine makes a Windows of its own for a test.
func StartWine(tb testing.TB) *Wine {
	tb.Helper()
	if _, err := exec.LookPath("wine"); err != nil {
		tb.Skip("wine is not here (make tools)")
	}
	w := &Wine{folder: filepath.Join(tb.TempDir(), "windows")}
	if out, err := w.Command("wineboot", "-i").CombinedOutput(); err != nil {
		tb.Fatalf("starting Wine: %v: %s", err, out)
	}
	tb.Cleanup(func() {
		_ = w.Command("wineserver", "--kill").Run()
		time.Sleep(200 * time.Millisecond) // until it lets go of its folder
	})
	library := filepath.Join(w.folder, "drive_c", "windows", "system32", "bcryptprimitives.dll")
	if _, err := os.Stat(library); err == nil {
		return w
	}
	if err := os.WriteFile(library, shim("bcryptprimitives.dll", "ProcessPrng", "advapi32.SystemFunction036"),
		0o600); err != nil {
		tb.Fatal(err)
	}
	return w
}

// Command is one of Wine's own programs.
func (w *Wine) Command(name string, arguments ...string) *exec.Cmd {
	command := exec.Command(name, arguments...)
	command.Env = append(os.Environ(), "WINEPREFIX="+w.folder, "WINEDEBUG=-all", "DISPLAY=",
		"WINEDLLOVERRIDES=mscoree,mshtml=")
	return command
}

// Run runs a Windows program and gives what it printed.
func (w *Wine) Run(tb testing.TB, program string, arguments ...string) string {
	tb.Helper()
	command := w.Command("wine", append([]string{program}, arguments...)...)
	complaints := strings.Builder{}
	command.Stderr = &complaints
	out, err := command.Output()
	if err != nil {
		tb.Fatalf("%q: %v: %s", arguments, err, complaints.String())
	}
	return string(out)
}

// Path is a path of this machine as Windows programs know it.
func (w *Wine) Path(path string) string { return "Z:" + strings.ReplaceAll(path, "/", `\`) }
