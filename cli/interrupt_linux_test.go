package cli_test

import (
	"bytes"
	"database/sql"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// stopped starts the program, sends it a signal after a while, and gives what it said and
// how long it took to end.
func stopped(d desk, command *exec.Cmd, after time.Duration, signal os.Signal) (outcome, time.Duration) {
	d.t.Helper()
	var sent time.Time
	timer := time.AfterFunc(after, func() { sent = time.Now(); _ = command.Process.Signal(signal) })
	got := d.finish(command)
	if timer.Stop() {
		d.t.Errorf("opengauge %s was over before it was interrupted: exit %d, %s", strings.Join(command.Args[1:], " "),
			got.code, got.stderr)
	}
	return got, time.Since(sent)
}

// silent is a server that accepts connections and never says anything.
func silent(t *testing.T) string {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = listener.Close() })
	go func() {
		var held []net.Conn // one that nobody holds is closed when memory is tidied
		for {
			connection, err := listener.Accept()
			if err != nil {
				for _, each := range held {
					_ = each.Close()
				}
				return
			}
			held = append(held, connection)
		}
	}()
	return listener.Addr().String()
}

// manySessions is a logbook of many copies of a session, which takes a while to read.
func manySessions(t *testing.T, d desk, count int) {
	t.Helper()
	d.must("measure", "sim:dunlin", "--hold", "200s", "--name", "first")
	book, err := logbook.Open(t.Context(), d.logbook)
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	s, err := book.Load("first")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := book.Import(func(yield func(*session.Session, error) bool) {
		for i := range count {
			other := *s
			other.ID, other.Name = session.NewID(), fmt.Sprintf("copy %d", i)
			if !yield(&other, nil) {
				return
			}
		}
	}); err != nil {
		t.Fatal(err)
	}
}

// Every command that waits ends within two seconds of a signal, says that it was
// interrupted, and leaves nothing behind.
func TestEverythingThatWaitsCanBeInterrupted(t *testing.T) {
	t.Parallel()
	d, folder := newProgramDesk(t), t.TempDir()
	manySessions(t, d, 600)
	exported := filepath.Join(t.TempDir(), "all.json")
	d.must("logbook", "export", "--all", "--out", exported)
	one, other := t.TempDir(), t.TempDir()
	empty := desk{t: t, logbook: filepath.Join(t.TempDir(), "new.db"), built: true}
	for _, c := range []struct {
		name      string
		of        desk
		after     time.Duration
		arguments []string
	}{
		{"an import", empty, 300 * time.Millisecond, []string{"logbook", "import", exported}},
		{"a merge", desk{t: t, logbook: filepath.Join(t.TempDir(), "new.db"), built: true}, 300 * time.Millisecond,
			[]string{"logbook", "import", d.logbook}},
		{"an export", d, 300 * time.Millisecond, []string{"logbook", "export", "--all", "--out",
			filepath.Join(folder, "x.json")}},
		{"a check", d, 300 * time.Millisecond, []string{"logbook", "check"}},
		{"a repair", d, 300 * time.Millisecond, []string{"logbook", "check", "--repair", filepath.Join(folder, "r.db")}},
		{"a silent server", d, 300 * time.Millisecond, []string{"measure", "nbd://" + silent(t) + "/v"}},
		{"filling", d, 700 * time.Millisecond, []string{"measure", one, "--size", "3GiB"}},
		{"making a set", d, 300 * time.Millisecond, []string{"copy", one, other, "--set", "large-file", "--size", "2GiB"}},
		{"a demo", d, 300 * time.Millisecond, []string{"demo", "--out", folder + "/demo"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			c.of.t = t
			for _, signal := range []os.Signal{os.Interrupt, syscall.SIGTERM} {
				got, took := stopped(c.of, c.of.command(c.arguments...), c.after, signal)
				if took > 4*time.Second { // two on a quiet machine
					t.Errorf("%s: it took %s to end", signal, took)
				}
				if got.code != 130 || !strings.Contains(got.stderr, "interrupted") {
					t.Errorf("%s: exit %d: %s", signal, got.code, got.stderr)
				}
			}
		})
	}
	for _, place := range []string{one, other} {
		assertEmpty(t, place)
	}
	_ = os.RemoveAll(filepath.Join(folder, "demo"))
	assertEmpty(t, folder)
	for _, place := range []string{filepath.Dir(d.logbook), filepath.Dir(empty.logbook)} {
		if left, _ := filepath.Glob(filepath.Join(place, "*opengauge-*")); len(left) > 0 {
			t.Errorf("left are %v", left)
		}
	}
	wants(t, "check", d.must("logbook", "check"), "601 sessions, and nothing is damaged")
}

// A logbook that another program holds is waited for, and no longer than is wanted.
func TestWaitingForALogbookIsInterrupted(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	d.must("measure", "sim:dunlin", "--hold", "1s")
	database, err := sql.Open("sqlite", "file:"+d.logbook+"?_txlock=immediate")
	if err != nil {
		t.Fatal(err)
	}
	defer database.Close()
	tx, err := database.Begin()
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = tx.Rollback() }()
	got, took := stopped(d, d.command("logbook", "tag", "latest", "x"), time.Second, os.Interrupt)
	if got.code != 130 || took > 4*time.Second {
		t.Errorf("exit %d after %s: %s", got.code, took, got.stderr)
	}
	s := decode[session.Session](t, d.must("measure", "sim:dunlin", "--hold", "1s", "--name", "waits", "--json"))
	if s.State != session.Complete {
		t.Errorf("a measurement beside a busy logbook is %s", s.State)
	}
	_ = tx.Rollback()
	if got := d.run("logbook", "show", "waits"); got.code != 0 || !strings.Contains(got.stderr, "took in session "+s.ID) {
		t.Errorf("exit %d: %s", got.code, got.stderr)
	}
}

// A flush that never comes back is told as a stall, and ends the measurement as one.
func TestAFlushThatNeverComesBack(t *testing.T) {
	t.Parallel()
	server := witness.ServeSlowFlush(t, 64*unit.MiB, 600)
	d := newProgramDesk(t)
	plan := planFile(t, "{operation: write, access: sequential, block: 1MiB, depth: 2, hold: 500ms}")
	began := time.Now()
	got := d.run("measure", server.Address, "--overwrite", witness.Export, "--plan", plan, "--stall-after", "1s",
		"--return-within", "1s", "--json")
	if took := time.Since(began); took > 30*time.Second {
		t.Errorf("it took %s", took)
	}
	if got.code != 1 || !strings.Contains(got.stderr, "does not answer") || !strings.Contains(got.stderr, "stall after") {
		t.Fatalf("exit %d: %s", got.code, got.stderr)
	}
	command := d.command("measure", server.Address, "--overwrite", witness.Export, "--plan", plan)
	if got, took := stopped(d, command, 4*time.Second, os.Interrupt); got.code != 130 || took > 4*time.Second {
		t.Errorf("interrupted in a flush: exit %d after %s: %s", got.code, took, got.stderr)
	}
}

// Output that cannot be written is no success; one that nobody reads ends nothing.
func TestOutputThatCannotBeWritten(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	d.must("measure", "sim:dunlin", "--hold", "1s")
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skip("there is no /dev/full here")
	}
	defer full.Close()
	for _, arguments := range [][]string{{"logbook", "list"}, {"explain", "latest"}, {"plan", "list"}, {"--help"},
		{"logbook", "export", "--all"}, {"logbook", "list", "--json"}, {"--version"}} {
		command := d.command(arguments...)
		var stderr bytes.Buffer
		command.Stdout, command.Stderr = full, &stderr
		_ = command.Run()
		if code := command.ProcessState.ExitCode(); code != 1 || !strings.Contains(stderr.String(), "no space left") {
			t.Errorf("%v into a full device: exit %d, %s", arguments, code, stderr.String())
		}
	}
	folder := t.TempDir()
	for name, closed := range map[string]func(*exec.Cmd, *os.File){
		"stdout": func(c *exec.Cmd, end *os.File) { c.Stdout = end },
		"stderr": func(c *exec.Cmd, end *os.File) { c.Stderr = end },
	} {
		reader, writer, err := os.Pipe()
		if err != nil {
			t.Fatal(err)
		}
		command := d.command("measure", folder, "--size", "4MiB", "--hold", "100ms")
		closed(command, writer)
		_ = reader.Close()
		_ = command.Run()
		_ = writer.Close()
		if want := map[string]int{"stdout": 1, "stderr": 0}[name]; command.ProcessState.ExitCode() != want {
			t.Errorf("with %s closed: %s, want exit %d", name, command.ProcessState, want)
		}
		assertEmpty(t, folder)
		s := decode[session.Session](t, d.must("logbook", "show", "latest", "--json"))
		if s.State != session.Complete || s.Simulated {
			t.Errorf("with %s closed the session is %s", name, s.State)
		}
	}
}

// What is no plain file is written into, a logbook is not overwritten, and links lead on.
func TestOutputsThatAreNoPlainFiles(t *testing.T) {
	t.Parallel()
	d, folder := newProgramDesk(t), t.TempDir()
	d.must("measure", "sim:dunlin", "--hold", "3s")
	fifo := filepath.Join(folder, "fifo")
	if err := syscall.Mkfifo(fifo, 0o600); err != nil {
		t.Fatal(err)
	}
	behind, link := filepath.Join(folder, "behind.html"), filepath.Join(folder, "link.html")
	if err := os.Symlink(behind, link); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(behind, []byte("old"), 0o640); err != nil {
		t.Fatal(err)
	}
	for name, arguments := range map[string][]string{
		"a page": {"report", "latest", "--out"}, "an image": {"report", "latest", "--image"},
		"an export": {"logbook", "export", "--all", "--out"}, "a backup": {"logbook", "backup"},
		"a capture": {"survey", "--capture"},
	} {
		read := make(chan []byte, 1)
		go func() { content, _ := os.ReadFile(fifo); read <- content }()
		got := d.run(append(arguments, fifo)...)
		if got.code != 0 {
			t.Errorf("%s into a pipe: exit %d: %s", name, got.code, got.stderr)
			continue
		}
		if content := <-read; len(content) < 200 {
			t.Errorf("%s into a pipe gives %d bytes", name, len(content))
		}
		if info, err := os.Lstat(fifo); err != nil || info.Mode()&os.ModeNamedPipe == 0 {
			t.Fatalf("%s replaced the pipe", name)
		}
		if got := d.run(append(arguments, os.DevNull)...); got.code != 0 {
			t.Errorf("%s into %s: exit %d: %s", name, os.DevNull, got.code, got.stderr)
		}
		if info, err := os.Lstat(os.DevNull); err != nil || info.Mode()&os.ModeCharDevice == 0 {
			t.Fatalf("%s replaced %s", name, os.DevNull)
		}
		if out := d.run(append(arguments, "-")...); out.code != 0 || len(out.stdout) < 200 ||
			strings.Contains(out.stdout, "wrote") && name != "a capture" {
			t.Errorf("%s to standard output: exit %d, %d bytes: %s", name, out.code, len(out.stdout), out.stderr)
		}
		if name != "a backup" {
			before := must1(os.ReadFile(d.logbook))(t)
			if got := d.run(append(arguments, d.logbook)...); got.code == 0 {
				t.Errorf("%s over the logbook: exit 0", name)
			}
			if !bytes.Equal(before, must1(os.ReadFile(d.logbook))(t)) {
				t.Fatalf("%s changed the logbook", name)
			}
		}
	}
	d.must("report", "latest", "--out", link)
	if info, err := os.Lstat(link); err != nil || info.Mode()&os.ModeSymlink == 0 {
		t.Error("the link was replaced")
	}
	if info, err := os.Stat(behind); err != nil || info.Size() < 1000 || info.Mode().Perm() != 0o640 {
		t.Errorf("behind the link are %v, %v", info, err)
	}
}

// A thread that the kernel does not give back is waited for, and that is said, until a second
// signal.
func TestAThreadThatTheKernelHolds(t *testing.T) {
	t.Parallel()
	slow := witness.Mount(t, 0)
	d := newProgramDesk(t)
	plan := planFile(t, "{operation: read, access: random, block: 4KiB, depth: 1, hold: 30s}")
	witness.Again(t, func() string { return heldThread(d, slow, plan) })
}

// heldThread says what is wrong with how a run ends that the kernel holds a thread of.
func heldThread(d desk, slow *witness.Slow, plan string) string {
	command := d.command("measure", slow.Folder, "--size", "1MiB", "--plan", plan)
	var said trigger
	said.when = "filling the test file"
	said.do = func() {
		time.AfterFunc(time.Second, func() {
			slow.Hold(7 * time.Second) // which no signal shortens
			time.Sleep(300 * time.Millisecond)
			_ = command.Process.Signal(os.Interrupt)
			time.AfterFunc(3*time.Second, func() { _ = command.Process.Signal(os.Interrupt) })
		})
	}
	command.Stderr = &said
	began := time.Now()
	got := d.finish(command)
	if took := time.Since(began); got.code != 130 || took > 15*time.Second {
		return fmt.Sprintf("exit %d after %s", got.code, took)
	}
	for _, text := range []string{"still waiting: the kernel holds a thread", "ended at once"} {
		if !strings.Contains(strings.Join(strings.Fields(got.stderr), " "), text) {
			return fmt.Sprintf("%q is not in what it says: %s", text, got.stderr)
		}
	}
	return ""
}
