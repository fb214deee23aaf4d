package witness

import (
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// Wine runs Windows programs.
type Wine struct {
	folder string
	// idle is a program that waits for a word, so that the services of Windows need not be
	// started again for each that is run.
	idle io.Closer
}

// StartWine makes a Windows of its own for a test.
func StartWine(tb testing.TB) *Wine {
	tb.Helper()
	if _, err := exec.LookPath("wine"); err != nil {
		tb.Skip("wine is not here (make tools)")
	}
	w, err := NewWine(filepath.Join(tb.TempDir(), "windows"))
	if err != nil {
		tb.Fatal(err)
	}
	tb.Cleanup(w.Close)
	return w
}

// NewWine makes a Windows in a folder. It has to be closed.
func NewWine(folder string) (*Wine, error) {
	w := &Wine{folder: folder}
	if out, err := w.Command("wineboot", "-i").CombinedOutput(); err != nil {
		return nil, fmt.Errorf("starting Wine: %w: %s", err, out)
	}
	library := filepath.Join(w.folder, "drive_c", "windows", "system32", "bcryptprimitives.dll")
	if _, err := os.Stat(library); err != nil {
		dll := shim("bcryptprimitives.dll", "ProcessPrng", "advapi32.SystemFunction036")
		if err := os.WriteFile(library, dll, 0o600); err != nil {
			return nil, err
		}
	}
	waiting := w.Command("wine", "cmd")
	word, err := waiting.StdinPipe()
	if err != nil {
		return nil, err
	}
	w.idle = word
	return w, waiting.Start()
}

// Close ends it.
func (w *Wine) Close() {
	_ = w.idle.Close()
	_ = w.Command("wineserver", "--kill").Run()
	time.Sleep(200 * time.Millisecond) // until it lets go of its folder
}

// Command is one of Wine's own programs.
func (w *Wine) Command(name string, arguments ...string) *exec.Cmd {
	command := exec.Command(name, arguments...)
	command.Env = append(os.Environ(), "WINEPREFIX="+w.folder, "WINEDEBUG=-all", "DISPLAY=",
		"WINEDLLOVERRIDES=mscoree,mshtml=")
	return command
}

// Run runs a Windows program and returns its output.
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

// Names gives a folder or a device of this machine a name among Windows' devices: "e:", or
// "physicaldrive0".
func (w *Wine) Names(tb testing.TB, name, path string) {
	tb.Helper()
	link := filepath.Join(w.folder, "dosdevices", name)
	if err := os.Symlink(path, link); err != nil {
		tb.Fatal(err)
	}
	tb.Cleanup(func() { _ = os.Remove(link) })
}

// Find gives the files of a name that are on Windows' own disk.
func (w *Wine) Find(tb testing.TB, name string) []string {
	tb.Helper()
	var found []string
	err := filepath.WalkDir(filepath.Join(w.folder, "drive_c"), func(path string, entry fs.DirEntry, err error) error {
		if err == nil && entry.Name() == name {
			found = append(found, path)
		}
		return err
	})
	if err != nil {
		tb.Fatal(err)
	}
	return found
}
