package cli_test

import (
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"golang.org/x/sys/unix"
)

// waitsForPipe reports whether a thread of a process opens a pipe and waits for its other end (proc(5), wchan).
func waitsForPipe(process int) bool {
	tasks, _ := filepath.Glob("/proc/" + strconv.Itoa(process) + "/task/*/wchan")
	for _, task := range tasks {
		if in, _ := os.ReadFile(task); strings.TrimSpace(string(in)) == "wait_for_partner" {
			return true
		}
	}
	return false
}

// A pipe that nobody opens at its other end holds no command: a signal ends it.
func TestPipesWithoutAPartner(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	d.must("measure", "sim:dunlin", "--hold", "1s")
	pipe := filepath.Join(t.TempDir(), "pipe")
	if err := unix.Mkfifo(pipe, 0o600); err != nil {
		t.Fatal(err)
	}
	for _, line := range []string{"logbook export --all --out PIPE", "logbook import PIPE",
		"measure sim:dunlin --plan PIPE",
		"explain --series PIPE", "review check PIPE", "report latest --out PIPE"} {
		t.Run(line, func(t *testing.T) {
			of := d
			of.t = t
			command := of.command(strings.Fields(strings.ReplaceAll(line, "PIPE", pipe))...)
			got := stopped(of, command, waitsForPipe, syscall.SIGTERM)
			if got.code != 130 || !strings.Contains(got.stderr, "interrupted") {
				t.Errorf("exit %d: %s", got.code, got.stderr)
			}
		})
	}
}

// Whatever a file is, no more of it is read than one of its kind has, and that is said.
func TestInputsWithoutAnEnd(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	d.must("measure", "sim:dunlin", "--hold", "1s")
	long := filepath.Join(t.TempDir(), "long.csv")
	file := must1(os.Create(long))(t)
	_, _ = file.WriteString("seconds,MB/s\n")
	for range 300 {
		if _, err := file.WriteString(strings.Repeat("7", 1_000_000)); err != nil {
			t.Fatal(err)
		}
	}
	if err := file.Close(); err != nil {
		t.Fatal(err)
	}
	for _, line := range []string{"measure sim:dunlin --plan FILE", "review check FILE", "explain --series FILE",
		"logbook import FILE", "logbook note latest --photo FILE", "streams latest --streams FILE",
		"standin volume --script FILE", "link --bench FILE --through deck", "review take FILE", "survey --sysroot FILE",
		"measure nbds://127.0.0.1:1/v --authority FILE"} {
		for _, name := range []string{"/dev/zero", long} {
			t.Run(strings.ReplaceAll(line, "FILE", filepath.Base(name)), func(t *testing.T) {
				of := d
				of.t = t
				// No more than 400 MB of data (setrlimit(2), RLIMIT_DATA): the runtime ends a program that needs more.
				of.launcher = []string{"sh", "-c", `ulimit -d 400000 && exec "$@"`, "sh"}
				got := of.run(strings.Fields(strings.ReplaceAll(line, "FILE", name))...)
				if got.code == 0 || got.code > 2 || strings.Contains(got.stderr, "panic") || len(got.stderr) > 2000 {
					t.Errorf("exit %d: %.2000s", got.code, got.stderr)
				}
			})
		}
	}
}

// What is kept is its user's alone; what is made to be published is everybody's to read.
func TestRightsOfFiles(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), t.TempDir()
	d.must("measure", "sim:dunlin", "--hold", "1s")
	for name, c := range map[string]struct {
		line    string
		publish bool
	}{
		"copy.db":   {"logbook backup FILE", false},
		"all.json":  {"logbook export --all --out FILE", false},
		"saved.db":  {"logbook check --repair FILE", false},
		"page.html": {"report latest --out FILE", true},
		"heat.png":  {"report latest --image FILE --figure chain-strip", true},
		"kit":       {"report latest --kit FILE", true},
		"dataset":   {"logbook export --all --dataset FILE", true},
	} {
		path := filepath.Join(folder, name)
		d.must(strings.Fields(strings.ReplaceAll(c.line, "FILE", path))...)
		info, err := os.Stat(path)
		if err != nil {
			t.Fatal(err)
		}
		others := info.Mode().Perm() & 0o077
		if c.publish && others&0o044 != 0o044 || !c.publish && others != 0 {
			t.Errorf("%s has the rights %v", name, info.Mode())
		}
	}
}

// A name that would act on the terminals of others is refused, before anything is made.
func TestNamesWithControlCharacters(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), t.TempDir()
	d.must("measure", "sim:dunlin", "--hold", "1s")
	for _, line := range []string{"logbook backup FILE", "logbook export --all --out FILE", "logbook check --repair FILE",
		"report latest --out FILE", "report latest --kit FILE", "logbook export --all --dataset FILE"} {
		words := strings.Fields(line)
		for i, word := range words {
			if word == "FILE" {
				words[i] = filepath.Join(folder, "a\x1b[2Jb.json")
			}
		}
		if got := d.run(words...); got.code == 0 || !strings.Contains(got.stderr, "control characters") ||
			strings.Contains(got.stderr, "\x1b") {
			t.Errorf("%s: exit %d: %q", line, got.code, got.stderr)
		}
	}
	assertEmpty(t, folder)
}

// A logbook on a disk without room is read all the same.
func TestALogbookOnAFullDisk(t *testing.T) {
	t.Parallel()
	disk := mounted(t, "tmpfs", "size=4m")
	d := newDesk(t)
	d.must("measure", "sim:dunlin", "--hold", "1s", "--name", "ebb")
	there := filepath.Join(disk, "logbook.db")
	d.must("logbook", "backup", there)
	filler := must1(os.Create(filepath.Join(disk, "filler")))(t)
	for size := 1 << 16; size > 0; {
		if _, err := filler.Write(make([]byte, size)); err != nil {
			size /= 2
		}
	}
	if err := filler.Close(); err != nil {
		t.Fatal(err)
	}
	for _, line := range []string{"logbook list", "logbook show ebb", "explain ebb", "logbook export --all", "rank ebb",
		"logbook check"} {
		got := d.run(append(strings.Fields(line), "--logbook", there)...)
		if got.code != 0 {
			t.Errorf("%s: exit %d: %s", line, got.code, got.stderr)
		}
	}
	got := d.run("measure", "sim:dunlin", "--hold", "1s", "--name", "flood", "--logbook", there)
	if got.code != 0 || !strings.Contains(words(got.stderr), "waits") {
		t.Errorf("a measurement: exit %d: %s", got.code, got.stderr)
	}
	if err := os.Remove(filler.Name()); err != nil {
		t.Fatal(err)
	}
	wants(t, "once there is room", d.must("logbook", "list", "--logbook", there), "flood")
}

// What a killed program left of a folder that it made goes when the next one is made there.
func TestKilledOutputsAreSwept(t *testing.T) {
	t.Parallel()
	d, folder := newProgramDesk(t), t.TempDir()
	d.must("logbook", "import", "../examples/sessions.json.gz")
	for name, words := range map[string][]string{
		"kit":     {"report", "latest", "--kit"},
		"dataset": {"logbook", "export", "--all", "--dataset"},
	} {
		begun := func(int) bool {
			found, _ := filepath.Glob(filepath.Join(folder, "opengauge-"+name+"-*"))
			return len(found) > 0
		}
		got := stopped(d, d.command(append(words, filepath.Join(folder, name+"-one"))...), begun, os.Kill)
		if left, _ := filepath.Glob(filepath.Join(folder, "*opengauge-*")); got.code != -1 || len(left) == 0 {
			t.Errorf("%s: killed, it left %q (exit %d)", name, left, got.code)
		}
		d.must(append(words, filepath.Join(folder, name+"-two"))...)
		if left, _ := filepath.Glob(filepath.Join(folder, "*opengauge-*")); len(left) > 0 {
			t.Errorf("%s: the next one leaves %q", name, left)
		}
	}
}
