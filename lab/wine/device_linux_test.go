package wine

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// A disk is read block by block, as many times as the session says and at the depth that it
// says, by a file that counts; its end is found, and not a byte is written.
func TestWindowsReadsADisk(t *testing.T) {
	program, w := windowsWith(t)
	const delay, size = 5 * time.Millisecond, 8 << 20
	slow := witness.Mount(t, delay)
	disk := filepath.Join(slow.Folder, "disk")
	if err := os.WriteFile(disk, make([]byte, size), 0o600); err != nil {
		t.Fatal(err)
	}
	w.Names(t, "physicaldrive0", disk)
	plan := filepath.Join(t.TempDir(), "plan.yaml")
	text := "plan: of-a-test\nsteps:\n  - sweep: {operation: read, access: random, block: 4KiB, depth: [1, 8]}\n"
	if err := os.WriteFile(plan, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	_, _ = slow.Peak()
	out := w.Run(t, program, "measure", `\\.\PhysicalDrive0`, "--plan", w.Path(plan), "--hold", "600ms", "--json",
		"--logbook", w.Path(filepath.Join(t.TempDir(), "logbook.db")))
	var s session.Session
	if err := json.Unmarshal([]byte(out), &s); err != nil {
		t.Fatal(err)
	}
	if s.Target.CapacityBytes != size || s.Target.Kind != "device" || len(s.Passes) != 2 {
		t.Fatalf("it is a %s of %d bytes, in %d passes", s.Target.Kind, s.Target.CapacityBytes, len(s.Passes))
	}
	said := 0
	for _, p := range s.Passes {
		if p.Errors > 0 {
			t.Errorf("%s: %d errors", p.Label(), p.Errors)
		}
		said += int(p.Operations)
	}
	// To find the end of the disk and to fill a queue takes some that are no pass's.
	peak, counted := slow.Peak()
	if said < 100 || counted < said || counted > said+200 {
		t.Errorf("the session says %d operations, the file counted %d", said, counted)
	}
	if peak != 8 {
		t.Errorf("the file saw %d at once", peak)
	}
	if held := slow.Contents(); len(held) != size || !bytes.Equal(held, make([]byte, size)) {
		t.Error("the disk holds something else now")
	}
}

// What cannot be told apart from a disk in use is never overwritten, with whatever it is named.
func TestWindowsOverwritesNothingThatIsNotKnown(t *testing.T) {
	program, w := windowsWith(t)
	device := witness.Loop(t, 64<<20)
	w.Names(t, "physicaldrive0", device)
	_, written := witness.Sectors(t, device)
	const path = `\\.\PhysicalDrive0`
	for _, identity := range []string{path + ":67108864", "TW-0001", "yes"} {
		out, err := w.Command("wine", program, "measure", path, "--overwrite", identity, "--overwrite-contents",
			"--hold", "50ms", "--logbook", w.Path(filepath.Join(t.TempDir(), "logbook.db"))).CombinedOutput()
		if err == nil || !strings.Contains(string(out), "is not overwritten") {
			t.Errorf("with %s: %v: %s", identity, err, out)
		}
	}
	if _, then := witness.Sectors(t, device); then != written {
		t.Errorf("%d bytes were written to it", then-written)
	}
}

// Errors of the system come with the advice that they have elsewhere.
func TestWindowsExplainsErrors(t *testing.T) {
	program, w := windowsWith(t)
	small, readOnly := t.TempDir(), t.TempDir()
	if err := syscall.Mount("tmpfs", small, "tmpfs", 0, "size=8m"); err != nil {
		t.Skip("nothing can be mounted here: ", err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(small, syscall.MNT_DETACH) })
	if err := syscall.Mount("tmpfs", readOnly, "tmpfs", syscall.MS_RDONLY, "size=64m"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(readOnly, syscall.MNT_DETACH) })
	for _, c := range []struct{ target, size, says string }{
		{`\\.\PhysicalDrive7`, "", "there is no such folder or file"},
		{`Z:\no\such\folder`, "", "there is no such folder or file"},
		{w.Path(small), "64MiB", "no space for a test file"},
		{w.Path(readOnly), "1MiB", "permission is denied"}, // as this Wine says of a file system that is read-only
	} {
		arguments := []string{program, "measure", c.target, "--hold", "50ms", "--logbook",
			w.Path(filepath.Join(t.TempDir(), "logbook.db"))}
		if c.size != "" {
			arguments = append(arguments, "--size", c.size)
		}
		out, err := w.Command("wine", arguments...).CombinedOutput()
		if err == nil || !strings.Contains(string(out), c.says) {
			t.Errorf("%s: %v: %s", c.target, err, out)
		}
	}
}

// Letters, folders with letters of any alphabet, and paths that are longer than 260 letters
// are measured, and nothing is left in them.
func TestWindowsPaths(t *testing.T) {
	program, w := windowsWith(t)
	folder := filepath.Join(t.TempDir(), "größe ☃ 寸法", strings.Repeat("a", 120), strings.Repeat("b", 120))
	if err := os.MkdirAll(folder, 0o700); err != nil {
		t.Fatal(err)
	}
	drive := t.TempDir()
	w.Names(t, "e:", drive)
	for _, path := range []string{w.Path(folder), `E:\`, `e:/`} {
		out := w.Run(t, program, "measure", path, "--size", "4MiB", "--plan", "quick-read", "--hold", "50ms", "--logbook",
			w.Path(filepath.Join(t.TempDir(), "logbook.db")))
		if !strings.Contains(out, "Kept as") {
			t.Errorf("%s: %s", path, out)
		}
	}
	for _, each := range []string{folder, drive} {
		if left, err := os.ReadDir(each); err != nil || len(left) > 0 {
			t.Errorf("left in %s: %v, %v", each, left, err)
		}
	}
}

// Copies arrive whole, both ways, and nothing is left of them.
func TestWindowsCopies(t *testing.T) {
	program, w := windowsWith(t)
	from, to := t.TempDir(), t.TempDir()
	out := w.Run(t, program, "copy", w.Path(from), w.Path(to), "--set", "large-file,mixed-folder", "--size", "8MiB",
		"--both-ways", "--verify", "--json", "--logbook", w.Path(filepath.Join(t.TempDir(), "logbook.db")))
	var s session.Session
	if err := json.Unmarshal([]byte(out), &s); err != nil {
		t.Fatal(err)
	}
	if len(s.Copies) != 12 {
		t.Errorf("%d copies", len(s.Copies))
	}
	for _, each := range []string{from, to} {
		if left, err := os.ReadDir(each); err != nil || len(left) > 0 {
			t.Errorf("left in %s: %v, %v", each, left, err)
		}
	}
}

// Nothing is written to the registry that any program's start does not write under Wine, and
// the logbook is where data of a user belongs.
func TestWindowsKeepsItsPlace(t *testing.T) {
	program, w := windowsWith(t)
	measure := []string{program, "measure", w.Path(t.TempDir()), "--size", "1MiB",
		"--plan", "quick-read", "--hold", "20ms"}
	plain, ours := written(t, w, "hostname"), written(t, w, measure...)
	for name := range ours {
		if !plain[name] {
			t.Errorf("the value %s of the registry is written", name)
		}
	}
	if found := w.Find(t, "logbook.db"); len(found) != 1 || !strings.Contains(found[0], "AppData/Local/opengauge") {
		t.Errorf("the logbook is at %q", found)
	}
}

// written are the names of the registry's values that are set while a program runs.
func written(t *testing.T, w *witness.Wine, command ...string) map[string]bool {
	t.Helper()
	traced := w.Command("wine", command...)
	for i, setting := range traced.Env {
		if strings.HasPrefix(setting, "WINEDEBUG=") {
			traced.Env[i] = "WINEDEBUG=-all,+reg"
		}
	}
	var calls strings.Builder
	traced.Stderr = &calls
	if err := traced.Run(); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(calls.String(), "NtOpenKey") {
		t.Fatal("calls are not traced")
	}
	names := map[string]bool{}
	for _, match := range setValue.FindAllStringSubmatch(calls.String(), -1) {
		names[match[1]] = true
	}
	return names
}

var setValue = regexp.MustCompile(`NtSetValueKey \(0x[0-9a-f]+,([^,]+),`)

// Every command of the README runs as written, but for the folders that it names, and for the
// stand-in, which is served by this system's program.
func TestWindowsTakesTheTour(t *testing.T) {
	program, w := windowsWith(t)
	place := t.TempDir()
	witness.Furnish(t, place)
	examples, err := filepath.Abs("../../examples")
	if err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("cp", "-r", examples, filepath.Join(place, "examples")).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	for _, command := range witness.TourAlone(t, "../../README.md") {
		shell := fmt.Sprintf("exec wine %s %s", program, command)
		run := w.Command("sh", "-c", shell)
		run.Dir = place
		run.Env = append(run.Env, "OPENGAUGE_LOGBOOK=logbook.db")
		began := time.Now()
		if out, err := run.CombinedOutput(); err != nil {
			t.Errorf("%s: %v\n%s", command, err, out)
		}
		if took := time.Since(began); took > 4*time.Second {
			t.Logf("%s took %s", command, took.Round(time.Second))
		}
	}
}
