package scratch

import (
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/unit"
)

// made makes a scratch file with a text in it.
func made(t *testing.T, in *Folder, of string) string {
	t.Helper()
	name, err := in.Name(of)
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(os.WriteFile(name, []byte("what is in it"), 0o600), in.NoteMade(name)); err != nil {
		t.Fatal(err)
	}
	return name
}

// dies lets go of a mark as a killed program does.
func (f *Folder) dies(t *testing.T) {
	t.Helper()
	if err := f.mark.Close(); err != nil {
		t.Fatal(err)
	}
}

func names(t *testing.T, folder string) string {
	t.Helper()
	entries, err := os.ReadDir(folder)
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, each := range entries {
		all = append(all, each.Name())
	}
	return strings.Join(all, " ")
}

func TestWhatIsMadeIsRemoved(t *testing.T) {
	path := t.TempDir()
	folder, err := In(path)
	if err != nil {
		t.Fatal(err)
	}
	kept := made(t, folder, "report")
	if err := os.Rename(kept, filepath.Join(path, "report.html")); err != nil {
		t.Fatal(err)
	}
	folder.Keep(kept)
	made(t, folder, "test-file")
	inside, err := folder.Name("kit")
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(os.Mkdir(inside, 0o700), os.WriteFile(filepath.Join(inside, "a"), nil, 0o600)); err != nil {
		t.Fatal(err)
	}
	if err := folder.Close(); err != nil {
		t.Fatal(err)
	}
	if got := names(t, path); got != "report.html" {
		t.Errorf("left are %s", got)
	}
}

// What a dead program left is removed and told; what a living one has, what only looks
// like a leftover, and what took a leftover's place, stay.
func TestSweepRemovesWhatTheDeadLeft(t *testing.T) {
	path := t.TempDir()
	living, err := In(path)
	if err != nil {
		t.Fatal(err)
	}
	stays := []string{made(t, living, "test-file"), living.markName()}
	dead, err := In(path)
	if err != nil {
		t.Fatal(err)
	}
	first, second, third := made(t, dead, "test-file"), made(t, dead, "copy"), made(t, dead, "copy")
	inside, err := dead.Name("set")
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(os.Mkdir(inside, 0o700), os.WriteFile(filepath.Join(inside, "a"), make([]byte, 100), 0o600),
		os.WriteFile(filepath.Join(inside, "b"), make([]byte, 10), 0o600)); err != nil {
		t.Fatal(err)
	}
	outside := filepath.Join(t.TempDir(), "thesis")
	like := []string{
		filepath.Join(path, "opengauge-test-file-my-thesis.tmp"), filepath.Join(path, ".opengauge-notes.mark"),
		filepath.Join(path, "opengauge-thesis-"+dead.id+".tmp"), outside,
	}
	for _, name := range like {
		if err := os.WriteFile(name, []byte("mine"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	// Names that lead elsewhere, or are not of the scheme, are nobody's.
	for _, name := range []string{"../" + filepath.Base(filepath.Dir(outside)) + "/thesis", outside, "",
		"opengauge-../" + dead.id + ".tmp"} {
		if err := dead.note(entry{Name: name}); err != nil {
			t.Fatal(err)
		}
	}
	// One was replaced by a file of the user's, and one by a link.
	if err := errors.Join(os.WriteFile(second+"new", []byte("mine"), 0o600), os.Rename(second+"new", second),
		os.Remove(third), os.Symlink(outside, third)); err != nil {
		t.Fatal(err)
	}
	if _, err := dead.mark.WriteString(`{"name":"openga`); err != nil { // it died as it wrote
		t.Fatal(err)
	}
	dead.dies(t)
	told := map[string]unit.Bytes{}
	if err := Sweep(path, func(l Leftover) { told[l.Path] = l.Size }); err != nil {
		t.Fatal(err)
	}
	if len(told) != 2 || told[first] != 13 || told[inside] != 110 {
		t.Errorf("told of %v", told)
	}
	for _, name := range append(append(stays, like...), second, third) {
		if _, err := os.Lstat(name); err != nil {
			t.Errorf("%s is gone", name)
		}
	}
	for _, name := range []string{first, inside, dead.markName()} {
		if _, err := os.Lstat(name); err == nil {
			t.Errorf("%s is still there", name)
		}
	}
	if err := errors.Join(living.Close(), Sweep(filepath.Join(path, "none"), nil)); err != nil {
		t.Error(err)
	}
}

// What another user left is not this one's to remove, whoever this one is.
func TestAnotherUsersLeftoversStay(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("giving files to another user needs root")
	}
	path := t.TempDir()
	dead, err := In(path)
	if err != nil {
		t.Fatal(err)
	}
	file := made(t, dead, "test-file")
	dead.dies(t)
	if err := os.Chown(file, 12345, 12345); err != nil {
		t.Skip(err)
	}
	told := 0
	tell := func(Leftover) { told++ }
	if err := Sweep(path, tell); err != nil || told > 0 {
		t.Errorf("of another user's file in one's own mark %d were told, %v", told, err)
	}
	dead, err = In(path)
	if err != nil {
		t.Fatal(err)
	}
	mine := made(t, dead, "test-file")
	dead.dies(t)
	if err := os.Chown(dead.markName(), 12345, 12345); err != nil {
		t.Fatal(err)
	}
	if err := Sweep(path, tell); err != nil || told > 0 {
		t.Errorf("of one's own file in another user's mark %d were told, %v", told, err)
	}
	for _, name := range []string{file, mine} {
		if _, err := os.Lstat(name); err != nil {
			t.Errorf("%s is gone", name)
		}
	}
}

// A mark is locked across processes.
func TestAnotherProcessLeavesItAlone(t *testing.T) {
	if path := os.Getenv("SCRATCH_SWEEP"); path != "" {
		if err := Sweep(path, func(l Leftover) { t.Errorf("swept %s", l.Path) }); err != nil {
			t.Error(err)
		}
		return
	}
	path := t.TempDir()
	folder, err := In(path)
	if err != nil {
		t.Fatal(err)
	}
	name := made(t, folder, "test-file")
	other := exec.Command(os.Args[0], "-test.run", t.Name())
	other.Env = append(os.Environ(), "SCRATCH_SWEEP="+path)
	if out, err := other.CombinedOutput(); err != nil {
		t.Errorf("%v: %s", err, out)
	}
	if _, err := os.Lstat(name); err != nil {
		t.Error(err)
	}
	if err := folder.Close(); err != nil {
		t.Error(err)
	}
}
