package cli_test

import (
	"bytes"
	"database/sql"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/night"
	"opengauge/lab/witness"
)

// hung is when a program that was told to end is taken to hang: the benchmark of interrupts says
// how soon it ends on a quiet machine.
const hung = 2 * time.Minute

// stopped starts the program, sends it a signal once it is ready for that, and returns how it
// ended.
func stopped(d desk, command *exec.Cmd, ready func(process int) bool, signal os.Signal) outcome {
	d.t.Helper()
	var stdout, stderr output
	command.Stdout = &stdout
	command.Stderr = &stderr
	if err := command.Start(); err != nil {
		d.t.Fatal(err)
	}
	ended := make(chan struct{})
	go func() {
		_ = command.Wait()
		close(ended)
	}()
	for !ready(command.Process.Pid) {
		select {
		case <-ended:
			d.t.Errorf("opengauge %s was over before it was interrupted: %s, %s", strings.Join(command.Args[1:], " "),
				command.ProcessState, stderr.String())
			return outcome{command.ProcessState.ExitCode(), stdout.String(), stderr.String()}
		case <-time.After(2 * time.Millisecond):
		}
	}
	_ = command.Process.Signal(signal)
	select {
	case <-ended:
	case <-time.After(hung):
		d.t.Errorf("opengauge %s does not end", strings.Join(command.Args[1:], " "))
		_ = command.Process.Kill()
		<-ended
	}
	return outcome{command.ProcessState.ExitCode(), stdout.String(), stderr.String()}
}

// moved returns a condition: that a process has read and written so many bytes, by what the
// kernel counts of it (proc(5), io).
func moved(least int) func(process int) bool {
	return func(process int) bool {
		text, _ := os.ReadFile(fmt.Sprintf("/proc/%d/io", process))
		counts := map[string]int{}
		for line := range strings.Lines(string(text)) {
			name, value, _ := strings.Cut(strings.TrimSpace(line), ": ")
			counts[name], _ = strconv.Atoi(value)
		}
		return max(counts["rchar"]+counts["wchar"], counts["read_bytes"]+counts["write_bytes"]) >= least
	}
}

// works reports whether a process is past its start, by what the kernel counts of it: more
// processor time than a start takes, or more bytes (proc(5), stat and io).
func works(process int) bool {
	const userTime, systemTime, ticks = 11, 12, 15 // behind the name in parentheses; hundredths of a second
	stat, _ := os.ReadFile(fmt.Sprintf("/proc/%d/stat", process))
	_, behind, _ := strings.Cut(string(stat), ") ")
	if fields := strings.Fields(behind); len(fields) > systemTime {
		user, _ := strconv.Atoi(fields[userTime])
		system, _ := strconv.Atoi(fields[systemTime])
		if user+system >= ticks {
			return true
		}
	}
	return moved(40 << 20)(process) // a start reads the program
}

// opens reports whether a process has a file open.
func opens(file string) func(process int) bool {
	return func(process int) bool {
		links, _ := filepath.Glob(fmt.Sprintf("/proc/%d/fd/*", process))
		return slices.ContainsFunc(links, func(link string) bool {
			name, _ := os.Readlink(link)
			return name == file
		})
	}
}

// silent is a server that accepts connections and never says anything: its address, and whether
// somebody has connected since that was last asked.
func silent(t *testing.T) (address string, connected func(int) bool) {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = listener.Close() })
	connections := make(chan struct{}, 100)
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
			connections <- struct{}{}
		}
	}()
	return listener.Addr().String(), func(int) bool {
		select {
		case <-connections:
			return true
		default:
			return false
		}
	}
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

// Every command that waits ends on a signal (at night on either), says that it was interrupted, and leaves nothing
// behind.
func TestEverythingThatWaitsCanBeInterrupted(t *testing.T) {
	t.Parallel()
	d, folder := newProgramDesk(t), t.TempDir()
	manySessions(t, d, 150)
	exported := filepath.Join(t.TempDir(), "all.json")
	d.must("logbook", "export", "--all", "--out", exported)
	one, other := t.TempDir(), t.TempDir()
	empty := newProgramDesk(t)
	address, connected := silent(t)
	for _, c := range []struct {
		name      string
		of        desk
		ready     func(process int) bool
		signal    os.Signal
		arguments []string
	}{
		{"an import", empty, works, os.Interrupt, []string{"logbook", "import", exported}},
		{"a merge", newProgramDesk(t), works, syscall.SIGTERM, []string{"logbook", "import", d.logbook}},
		{"an export", d, works, os.Interrupt, []string{"logbook", "export", "--all", "--out",
			filepath.Join(folder, "x.json")}},
		{"a check", d, works, syscall.SIGTERM, []string{"logbook", "check"}},
		{"a repair", d, works, os.Interrupt, []string{"logbook", "check", "--repair", filepath.Join(folder, "r.db")}},
		{"a silent server", d, connected, syscall.SIGTERM, []string{"measure", "nbd://" + address + "/v"}},
		{"filling", d, works, os.Interrupt, []string{"measure", one, "--size", "3GiB"}},
		{"making a set", d, works, syscall.SIGTERM, []string{"copy", one, other, "--set", "large-file", "--size", "2GiB"}},
		{"a demo", d, works, os.Interrupt, []string{"demo", "--out", folder + "/demo"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			c.of.t = t
			signals := []os.Signal{c.signal}
			if night.IsOn() {
				signals = []os.Signal{os.Interrupt, syscall.SIGTERM}
			}
			for _, signal := range signals {
				got := stopped(c.of, c.of.command(c.arguments...), c.ready, signal)
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
	wants(t, "check", d.must("logbook", "check"), "151 sessions, and nothing is damaged")
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
	if got := stopped(d, d.command("logbook", "tag", "latest", "x"), opens(d.logbook), os.Interrupt); got.code != 130 {
		t.Errorf("exit %d: %s", got.code, got.stderr)
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
	got := d.run("measure", server.Address, "--overwrite", witness.Export, "--plan", plan, "--stall-after", "1s",
		"--return-within", "1s", "--json")
	if got.code != 1 || !strings.Contains(got.stderr, "does not answer") || !strings.Contains(got.stderr, "stall after") {
		t.Fatalf("exit %d: %s", got.code, got.stderr)
	}
	another := witness.ServeSlowFlush(t, 64*unit.MiB, 600)
	flushes := func(int) bool { return another.Flushes(t) > 0 }
	command := d.command("measure", another.Address, "--overwrite", witness.Export, "--plan", plan)
	if got := stopped(d, command, flushes, os.Interrupt); got.code != 130 {
		t.Errorf("interrupted in a flush: exit %d: %s", got.code, got.stderr)
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
		go func() {
			for range 600 { // until the file has served reads of the pass, behind the 1 MiB that filled it
				time.Sleep(100 * time.Millisecond)
				if _, served := slow.Peak(); served > 20 {
					break
				}
			}
			slow.Hold(7 * time.Second) // which no signal shortens
			for range 600 {
				time.Sleep(100 * time.Millisecond)
				if peak, served := slow.Peak(); peak > 0 && served == 0 { // a read is held
					break
				}
			}
			_ = command.Process.Signal(os.Interrupt)
			time.AfterFunc(3*time.Second, func() { _ = command.Process.Signal(os.Interrupt) })
		}()
	}
	command.Stderr = &said
	got := d.finish(command)
	if got.code != 130 {
		return fmt.Sprintf("exit %d", got.code)
	}
	for _, text := range []string{"still waiting: the kernel holds a thread", "ended at once"} {
		if !strings.Contains(strings.Join(strings.Fields(got.stderr), " "), text) {
			return fmt.Sprintf("%q is not in what it says: %s", text, got.stderr)
		}
	}
	return ""
}

// An interrupted pass is kept with its samples, and nothing is left behind.
func TestInterruptKeepsAndCleans(t *testing.T) {
	t.Parallel()
	d, folder := newProgramDesk(t), t.TempDir()
	command := d.command("measure", folder, "--size", "4MiB", "--hold", "1h", "--sample", "50ms")
	got := stopped(d, command, moved(1<<30), os.Interrupt) // which only its first pass reads
	if got.code != 130 || !strings.Contains(got.stderr, "what was measured is kept") {
		t.Errorf("exit %d: %s", got.code, got.stderr)
	}
	assertEmpty(t, folder)
	s := decode[session.Session](t, d.must("logbook", "show", "latest", "--json"))
	if s.State != session.Interrupted || len(s.Passes) != 1 || !s.Passes[0].CutShort || len(s.Passes[0].Samples) == 0 {
		t.Errorf("state %s with %d passes", s.State, len(s.Passes))
	}
}
