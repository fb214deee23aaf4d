package cli_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"opengauge/cli"
	"opengauge/core/record/session"
	"opengauge/lab/witness"
	"opengauge/present/figure"
)

// program is the path of the built program, for tests of what only a process shows: signals,
// exit codes, terminals, files, and other processes that watch it.
var program string

func TestMain(m *testing.M) {
	time.Local = time.UTC // what is printed does not depend on the machine
	code := withProgram(m)
	witness.StopPostgres()
	stopBrowser()
	os.Exit(code)
}

// crewPassword is that of the hosts' account on a server.
const crewPassword = "tide-table"

func withProgram(m *testing.M) int {
	folder, err := os.MkdirTemp("", "opengauge-program-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(folder)
	// Where sessions wait that no logbook has taken yet: here and in processes of the program.
	os.Setenv("XDG_DATA_HOME", filepath.Join(folder, "data"))
	os.Setenv("PGPASSWORD", crewPassword)
	program = filepath.Join(folder, "opengauge")
	build := exec.Command("go", "build", "-trimpath", "-ldflags=-s -w", "-o", program, "opengauge/cmd/opengauge")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "building the program: %v\n%s", err, out)
		return 1
	}
	return m.Run()
}

// outcome is what a run of a command line gave.
type outcome struct {
	code           int
	stdout, stderr string
}

// desk is a user's place: a logbook of their own. Command lines run within this process,
// unless the desk has the built program start them.
type desk struct {
	t       *testing.T
	logbook string
	// built runs each command line as a process of the built program.
	built bool
	// launcher is a command that starts the built program: a namespace, for example.
	launcher []string
	// settings are NAME=VALUE for the environment of the built program.
	settings []string
}

// newDesk returns a desk whose command lines run within this process.
func newDesk(t *testing.T) desk {
	return desk{t: t, logbook: filepath.Join(t.TempDir(), "logbook.db")}
}

// newProgramDesk returns a desk whose command lines run in processes of the built program.
func newProgramDesk(t *testing.T) desk {
	return desk{t: t, logbook: filepath.Join(t.TempDir(), "logbook.db"), built: true}
}

// command returns a process of the built program that is not started yet.
func (d desk) command(arguments ...string) *exec.Cmd {
	words := append(append(slices.Clone(d.launcher), program), arguments...)
	command := exec.Command(words[0], words[1:]...)
	command.Env = append(append(os.Environ(), "OPENGAUGE_LOGBOOK="+d.logbook, "TZ=UTC"), d.settings...)
	witness.Tie(command)
	return command
}

// run runs a command line.
func (d desk) run(arguments ...string) outcome {
	d.t.Helper()
	if d.built || len(d.launcher) > 0 || len(d.settings) > 0 {
		return d.finish(d.command(arguments...))
	}
	var stdout, stderr output
	code := cli.Execute(d.logbook, arguments, &stdout, &stderr)
	return outcome{code, stdout.String(), stderr.String()}
}

// executeAll runs command lines within this process, outside of a test, and returns the output
// of the last. The first that fails ends it.
func executeAll(logbook string, lines ...[]string) (string, error) {
	var stdout, stderr output
	for _, arguments := range lines {
		stdout = output{}
		if code := cli.Execute(logbook, arguments, &stdout, &stderr); code != 0 {
			return "", fmt.Errorf("opengauge %s: exit %d: %s", strings.Join(arguments, " "), code, stderr.String())
		}
	}
	return stdout.String(), nil
}

// output collects what several goroutines write.
type output struct {
	mutex sync.Mutex
	text  bytes.Buffer
}

func (o *output) Write(text []byte) (int, error) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	return o.text.Write(text)
}

func (o *output) String() string {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	return o.text.String()
}

// finish runs a process of the built program to its end.
func (d desk) finish(command *exec.Cmd) outcome {
	d.t.Helper()
	var stdout, stderr bytes.Buffer
	command.Stdout = &stdout
	if command.Stderr == nil {
		command.Stderr = &stderr
	} else {
		command.Stderr = io.MultiWriter(command.Stderr, &stderr)
	}
	err := command.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		d.t.Fatal(err)
	}
	return outcome{command.ProcessState.ExitCode(), stdout.String(), stderr.String()}
}

// must runs a command line and fails the test if it fails.
func (d desk) must(arguments ...string) string {
	d.t.Helper()
	got := d.run(arguments...)
	if got.code != 0 {
		d.t.Fatalf("opengauge %s: exit %d\n%s", strings.Join(arguments, " "), got.code, got.stderr)
	}
	return got.stdout
}

// must1 gives what a call gave that may fail.
func must1[T any](got T, err error) func(*testing.T) T {
	return func(t *testing.T) T {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		return got
	}
}

// planFile writes a plan of sweeps.
func planFile(tb testing.TB, sweeps ...string) string {
	tb.Helper()
	name := filepath.Join(tb.TempDir(), "own.yaml")
	source := "plan: own\nsteps:\n"
	for _, sweep := range sweeps {
		source += "  - sweep: " + sweep + "\n"
	}
	if err := os.WriteFile(name, []byte(source), 0o600); err != nil {
		tb.Fatal(err)
	}
	return name
}

func decode[T any](t *testing.T, text string) T {
	t.Helper()
	var document T
	if err := json.Unmarshal([]byte(text), &document); err != nil {
		t.Fatalf("no JSON: %v\n%s", err, text)
	}
	return document
}

func assertEmpty(t *testing.T, folder string) {
	t.Helper()
	left, err := os.ReadDir(folder)
	if err != nil || len(left) != 0 {
		t.Errorf("left behind in the folder: %v, %v", left, err)
	}
}

func TestMeasureAFolder(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), steadyFolder(t)
	s := decode[session.Session](t, d.must("measure", folder, "--hold", "300ms", "--size", "8MiB", "--condition",
		"fan=on", "--name", "stick", "--json"))
	assertEmpty(t, folder)
	if s.Format != "opengauge.session/1" || s.State != session.Complete || s.Simulated ||
		s.Conditions["fan"] != "on" || len(s.Passes) != 6 {
		t.Fatalf("session %+v", s)
	}
	for _, pass := range s.Passes {
		sum := 0.0
		for _, sample := range pass.Samples {
			sum += float64(sample.Bytes)
		}
		if sum != float64(pass.Bytes) || sum == 0 {
			t.Errorf("pass %d: samples have %v bytes, the pass %d", pass.Index, sum, pass.Bytes)
		}
		if got := float64(pass.Bytes) / pass.ElapsedSeconds; !(math.Abs(got-float64(pass.BytesPerSecond)) <= got*1e-12) {
			t.Errorf("pass %d: %v is not %v", pass.Index, got, pass.BytesPerSecond)
		}
	}
	if shown := decode[session.Session](t, d.must("logbook", "show", "stick", "--json")); shown.ID != s.ID ||
		len(shown.Passes) != 6 {
		t.Errorf("the logbook has %s with %d passes", shown.ID, len(shown.Passes))
	}
	if list := d.must("logbook", "list"); !strings.Contains(list, "stick") || !strings.Contains(list, "complete") {
		t.Errorf("the list is:\n%s", list)
	}
}

func TestPlans(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), t.TempDir()
	if list := d.must("plan", "list"); !strings.Contains(list, "latency-under-load") ||
		!strings.Contains(list, "First") && !strings.Contains(list, "A first figure") {
		t.Errorf("the list is:\n%s", list)
	}
	shown := d.must("plan", "show", "data-kinds")
	if strings.Count(shown, "write") < 9 || !strings.Contains(shown, "50 % compressible") {
		t.Errorf("data-kinds is shown as:\n%s", shown)
	}
	checked := decode[struct {
		Passes         int     `json:"passes"`
		Elapsed        float64 `json:"elapsed_seconds"`
		Written        float64 `json:"written_bytes"`
		EnduranceShare float64 `json:"endurance_share"`
		Fits           bool    `json:"fits"`
	}](t, d.must("plan", "check", "quick", "--hold", "10s", "--rate", "1GB/s", "--endurance", "300TB",
		"--size", "8MiB", "--target", folder, "--json"))
	// Three of six passes write for 10.5 s each, and the test file is filled.
	want := 3*10.5e9 + 8*1024*1024
	if checked.Passes != 6 || checked.Elapsed != 63 || checked.Written != want ||
		!(math.Abs(checked.EnduranceShare-want/300e12) <= 1e-12) || !checked.Fits {
		t.Errorf("the check gives %+v, want %v bytes", checked, want)
	}
	assertEmpty(t, folder)
}

func TestLoadsOfEveryKind(t *testing.T) {
	t.Parallel()
	d, file := newDesk(t), planFile(t,
		"{operation: mixed, write-share: 30%, access: random, block: 4KiB, depth: 8, workers: 2, hold: 300ms}",
		"{operation: read, access: random, block: 512B, depth: 1024, hold: 300ms, span: 1MiB}",
		"{operation: read, access: sequential, block: 16MiB, depth: 2, hold: 300ms}",
		"{operation: write, access: random, block: 4KiB, depth: [1, 4], durable: yes, hold: 300ms, compressible: 50%}",
		"{operation: read, access: random, block: 4KiB, depth: 16, rate: 500, hold: 2s}",
		"{operation: write, access: sequential, block: 1MiB, depth: 4, bytes: 8MiB}")
	for _, queue := range []string{"automatic", "threads"} {
		s := decode[session.Session](t, d.must("measure", steadyFolder(t), "--plan", file, "--size", "64MiB",
			"--queue", queue, "--sample", "100ms", "--json"))
		if len(s.Passes) != 7 {
			t.Fatalf("%s: %d passes", queue, len(s.Passes))
		}
		for _, pass := range s.Passes {
			if pass.Bytes == 0 || pass.Errors != 0 || queue == "threads" && pass.Queue != "thread pool" {
				t.Errorf("%s: pass %d (%s) by %s: %d bytes, %d errors", queue, pass.Index, pass.Label(), pass.Queue,
					pass.Bytes, pass.Errors)
			}
		}
		if mixed := s.Passes[0]; mixed.Workers != 2 || mixed.WriteShare != 0.3 {
			t.Errorf("%s: the mixed pass has %d workers and a write share of %v", queue, mixed.Workers,
				mixed.WriteShare)
		}
		if bounded := s.Passes[6]; bounded.Bytes != 8<<20 {
			t.Errorf("%s: a pass of 8 MiB moved %d bytes", queue, bounded.Bytes)
		}
	}
}

// steadyFolder is a folder in memory, where there is one: a disk may stall for
// longer than a short pass lasts.
func steadyFolder(t *testing.T) string {
	t.Helper()
	folder, err := os.MkdirTemp("/dev/shm", "opengauge-test-")
	if err != nil {
		return t.TempDir()
	}
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	return folder
}

func TestVerify(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), t.TempDir()
	s := decode[session.Session](t, d.must("measure", folder, "--size", "16MiB", "--hold", "200ms", "--verify",
		"--json"))
	if s.Verification == nil || s.Verification.Faults != 0 || s.Verification.Checked < 16<<20/4096 {
		t.Errorf("verification %+v", s.Verification)
	}
	if got := d.run("measure", "sim:sandpiper", "--verify"); got.code != 2 ||
		!strings.Contains(got.stderr, "keeps no data") {
		t.Errorf("verifying a simulated drive: exit %d, %s", got.code, got.stderr)
	}
	assertEmpty(t, folder)
}

func TestOutputForPeople(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), steadyFolder(t)
	got := d.run("measure", folder, "--hold", "300ms", "--size", "4MiB", "--units", "bits")
	if got.code != 0 || !strings.Contains(got.stdout, "Gbit/s") ||
		!strings.Contains(got.stdout, "Next: opengauge explain") {
		t.Errorf("exit %d:\n%s", got.code, got.stdout)
	}
	if lines := strings.Count(got.stderr, "\n"); lines != 1+1+6 || !strings.Contains(got.stderr, "pass 6/6") {
		t.Errorf("progress has %d lines, want the announcement, the filling and six passes:\n%s", lines, got.stderr)
	}
	if strings.ContainsRune(got.stdout+got.stderr, '\x1b') {
		t.Error("escapes without a terminal")
	}
}

func TestAnExistingFile(t *testing.T) {
	t.Parallel()
	d, name := newDesk(t), filepath.Join(t.TempDir(), "footage")
	content := bytes.Repeat([]byte("kelp"), 1<<18)
	if err := os.WriteFile(name, content, 0o600); err != nil {
		t.Fatal(err)
	}
	refused := d.run("measure", name)
	if refused.code != 2 || !strings.Contains(refused.stderr, "only ever read") {
		t.Errorf("a plan that writes: exit %d, %s", refused.code, refused.stderr)
	}
	s := decode[session.Session](t, d.must("measure", name, "--plan", "quick-read", "--hold", "300ms", "--json"))
	if len(s.Passes) != 3 || s.Target.Kind != "file" {
		t.Errorf("%d passes of a %s", len(s.Passes), s.Target.Kind)
	}
	if after, _ := os.ReadFile(name); !bytes.Equal(after, content) {
		t.Error("the file was changed")
	}
}

func TestOwnPlan(t *testing.T) {
	t.Parallel()
	d, file := newDesk(t), planFile(t, "{operation: read, access: random, block: [4KiB, 8KiB], depth: [1, 4], "+
		"hold: 300ms}")
	s := decode[session.Session](t, d.must("measure", steadyFolder(t), "--plan", file, "--size", "4MiB", "--json"))
	if len(s.Passes) != 4 || s.Plan.Name != "own" || s.Passes[3].Block != 8192 || s.Passes[3].Depth != 4 {
		t.Errorf("plan %s gave %d passes", s.Plan.Name, len(s.Passes))
	}
}

func TestSimulatedHeatIsExplainedAndReported(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), t.TempDir()
	d.must("measure", "sim:sandpiper", "--plan", "long-write", "--name", "hot")
	text := d.must("explain", "hot")
	for _, want := range []string{"(simulated)", "▲ caution  heat-throttle", "70 °C", "throttle at",
		"higher is better"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in the explanation:\n%s", want, text)
		}
	}
	explained := decode[struct{ Findings []session.Finding }](t, d.must("explain", "latest", "--json"))
	if len(explained.Findings) != 1 || explained.Findings[0].Kind != "heat-throttle" {
		t.Errorf("findings are %+v", explained.Findings)
	}
	if got := d.run("explain", "hot", "--fail-on", "caution"); got.code != 3 {
		t.Errorf("--fail-on caution exits with %d, want 3", got.code)
	}
	if got := d.run("explain", "hot", "--fail-on", "fault"); got.code != 0 {
		t.Errorf("--fail-on fault exits with %d, want 0", got.code)
	}
	page, picture := filepath.Join(folder, "hot.html"), filepath.Join(folder, "hot.png")
	d.must("report", "hot", "--out", page, "--image", picture)
	for name, least := range map[string]int64{page: 100_000, picture: 10_000} {
		if info, err := os.Stat(name); err != nil || info.Size() < least {
			t.Errorf("%s: %v, %v", name, info, err)
		}
	}
	if left, _ := os.ReadDir(folder); len(left) != 2 {
		t.Errorf("%d files were written, want 2", len(left))
	}
}

func kindsOf(findings []session.Finding) string {
	var kinds []string
	for _, f := range findings {
		kinds = append(kinds, f.Kind)
	}
	return strings.Join(kinds, " ")
}

func TestTheFanIsWhatTheConditionSays(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	cool := decode[session.Session](t, d.must("measure", "sim:sandpiper", "--through", "barnacle", "--condition",
		"fan=on", "--plan", "long-write", "--json"))
	if kinds := kindsOf(cool.Findings); strings.Contains(kinds, "heat-throttle") ||
		cool.Conditions["enclosure"] != "barnacle" || cool.Conditions["ambient"] != "23C" {
		t.Errorf("findings %+v, conditions %v", cool.Findings, cool.Conditions)
	}
	if got := d.run("measure", "sim:sandpiper", "--condition", "fan=on"); got.code != 2 ||
		!strings.Contains(got.stderr, "has no fan") {
		t.Errorf("a fan on a passive case: exit %d, %s", got.code, got.stderr)
	}
}

func TestDemo(t *testing.T) {
	t.Parallel()
	made, err := runDemo()
	if err != nil {
		t.Fatal(err)
	}
	d, folder, text := newDesk(t), made.folder, made.text
	for _, want := range []string{"caution  confounded", "→ short-cable/barnacle/sandpiper: 300 GB in ",
		"● cable: from deck-cable to short-cable, the time changes by −", "▲ heat-throttle", "What to look at first"} {
		if !strings.Contains(text, want) {
			t.Errorf("the demo does not say %q:\n%s", want, text)
		}
	}
	// Host and cable were swapped together; that it was not the host is what the review finds.
	cleared := regexp.MustCompile(`● host: .*changes by .* none\s+that\s+matters`)
	if !cleared.MatchString(strings.ReplaceAll(text, "\n", " ")) {
		t.Errorf("the demo does not clear the host:\n%s", text)
	}
	if lines := strings.Count(text, "\n"); lines > 130 { // and 20 of progress beside it
		t.Errorf("the demo prints %d lines", lines)
	}
	for _, name := range []string{"report.html", "heat-trace.png", "demo-logbook.db", "deck.yaml", "bench.yaml"} {
		if _, err := os.Stat(filepath.Join(folder, name)); err != nil {
			t.Error(err)
		}
	}
	if listed := d.must("logbook", "list", "--logbook",
		filepath.Join(folder, "demo-logbook.db")); strings.Contains(listed, "earlier") ||
		!strings.Contains(listed, "below-deck") {
		t.Errorf("the demo's logbook holds\n%s", listed)
	}
	if _, err := os.Stat(filepath.Join(folder, "none.db")); err == nil {
		t.Error("the demo wrote into the user's logbook")
	}
}

func TestAKilledProgramLosesAtMostThePassInProgress(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	folder := t.TempDir()
	command := d.command("measure", folder, "--size", "4MiB", "--hold", "1s")
	progress, err := command.StderrPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := command.Start(); err != nil {
		t.Fatal(err)
	}
	for lines := bufio.NewScanner(progress); lines.Scan(); {
		if strings.HasPrefix(lines.Text(), "pass 2/6") {
			_ = command.Process.Kill()
		}
	}
	_ = command.Wait()
	s := decode[session.Session](t, d.must("logbook", "show", "latest", "--json"))
	if s.State != session.Interrupted || len(s.Passes) != 2 {
		t.Errorf("state %s with %d passes", s.State, len(s.Passes))
	}
	for _, pass := range s.Passes {
		if pass.CutShort || len(pass.Samples) == 0 || pass.ElapsedSeconds < 1 {
			t.Errorf("pass %d is not whole: %v s, %d samples", pass.Index, pass.ElapsedSeconds, len(pass.Samples))
		}
	}
	again := d.run("measure", folder, "--size", "4MiB", "--hold", "20ms")
	if !strings.Contains(again.stderr, "removed what a run that was killed had left: "+folder) {
		t.Errorf("the next run says %q", again.stderr)
	}
	assertEmpty(t, folder)
}

func TestBadInput(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), t.TempDir()
	write := func(name, content string) string {
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	badPlan := write("bad.yaml", "plan: x\nsteps:\n  - sweep: {operation: read, access: random, block: 4KiB, "+
		"depth: none}\n")
	noBook := write("broken.db", strings.Repeat("no database at all ", 50))
	d.must("measure", "sim:sandpiper", "--name", "taken", "--hold", "10ms")

	cases := []struct {
		name      string
		arguments []string
		code      int
		want      string
	}{
		{"missing folder", []string{"measure", filepath.Join(folder, "none")}, 1, "check the spelling"},
		{"no target", []string{"measure"}, 2, "accepts 1 arg"},
		{"too many targets", []string{"measure", "a", "b"}, 2, "accepts 1 arg"},
		{"no space", []string{"measure", folder, "--size", "900TiB"}, 1, "no space"},
		{"size below a block", []string{"measure", folder, "--size", "64KiB"}, 2, "below one block"},
		{"size 0", []string{"measure", folder, "--size", "0"}, 2, "below one block"},
		{"odd size", []string{"measure", folder, "--size", "2000001"}, 2, "not a multiple"},
		{"bits for a size", []string{"measure", folder, "--size", "1Gb"}, 2, "bits"},
		{"unknown plan", []string{"measure", folder, "--plan", "nonesuch"}, 2,
			"not built in (cool-repeats, data-kinds, depth-map, fill-ladder, latency-under-load, long-small, " +
				"long-write, quick, quick-read, run-on, start, steady-state, warm-up, wire)"},
		{"broken plan", []string{"measure", folder, "--plan", badPlan}, 2, "bad.yaml:3:66: depth \"none\""},
		{"bad precision", []string{"measure", folder, "--until-within", "0"}, 2, "--until-within"},
		{"bad workers", []string{"measure", folder, "--workers", "0"}, 2, "--workers"},
		{"impossible rate", []string{"measure", folder, "--rate", "1e15"}, 2, "that a device can have"},
		{"bad sample", []string{"measure", folder, "--sample", "1ms"}, 2, "between 10ms and 10m"},
		{"bad queue", []string{"measure", folder, "--queue", "pigeon"}, 2, "automatic, native, threads"},
		{"bad probe", []string{"measure", folder, "--probe", "csv:x"}, 2, "no file or no column"},
		{"bad repeat", []string{"measure", folder, "--repeat", "0"}, 2, "--repeat 0"},
		{"bad endurance", []string{"plan", "check", "quick", "--endurance", "lots"}, 2, "--endurance"},
		{"plan that does not fit", []string{"plan", "check", "quick", "--size", "900TiB", "--target", folder}, 1,
			"no space"},
		{"bad hold", []string{"measure", folder, "--hold", "5"}, 2, "write one like 5s"},
		{"bad condition", []string{"measure", folder, "--condition", "fan"}, 2, "key=value"},
		{"name in use", []string{"measure", folder, "--name", "taken"}, 2, "choose another"},
		{"name latest", []string{"measure", folder, "--name", "latest"}, 2, "stands for the newest"},
		{"bad severity", []string{"measure", folder, "--fail-on", "panic"}, 2, "note, caution or fault"},
		{"bad units", []string{"measure", folder, "--units", "stones"}, 2, "decimal, binary, bits"},
		{"unknown flag", []string{"measure", folder, "--speed"}, 2, "unknown flag"},
		{"unknown command", []string{"frobnicate"}, 2, "unknown command"},
		{"unknown simulated drive", []string{"measure", "sim:albatross"}, 2, "known are curlew, dunlin"},
		{"unknown chain", []string{"measure", folder, "--through", "albatross"}, 2, "no chain and no part"},
		{"unknown enclosure", []string{"measure", "sim:sandpiper", "--through", "albatross"}, 2,
			"known are barnacle, limpet, whelk"},
		{"unknown figure", []string{"report", "latest", "--image", "x.png", "--figure", "pie"}, 2,
			strings.Join(figure.Names(), ", ")},
		{"broken logbook", []string{"measure", folder, "--logbook", noBook}, 1, "is no logbook"},
		{"no logbook", []string{"logbook", "list", "--logbook", filepath.Join(folder, "none.db")}, 1,
			"measure something first"},
		{"unknown session", []string{"explain", "nonesuch"}, 1, "no session \"nonesuch\""},
		{"report without a file", []string{"report", "latest"}, 2, "say what to write"},
		{"report of nothing", []string{"report"}, 2, "requires at least 1 arg"},
		{"image of another kind", []string{"report", "latest", "--image", "x.bmp"}, 2, ".png or .svg"},
		{"page into nowhere", []string{"report", "latest", "--out", filepath.Join(folder, "none", "x.html")}, 1,
			"could not write"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got := d.run(c.arguments...)
			if got.code != c.code || !strings.Contains(got.stderr, c.want) {
				t.Errorf("exit %d, want %d; stderr %q, want %q in it", got.code, c.code, got.stderr, c.want)
			}
			if strings.Count(got.stderr, "\n") != 1 || got.stdout != "" {
				t.Errorf("want one line on stderr alone; stderr %q, stdout %q", got.stderr, got.stdout)
			}
			assertEmpty(t, folder)
		})
	}
}

func TestFoldersThatCannotBeWritten(t *testing.T) {
	t.Parallel()
	if runtime.GOOS == "windows" {
		t.Skip("permissions work differently on this system")
	}
	t.Run("read-only mount", func(t *testing.T) {
		folder := mounted(t, "tmpfs", "ro,size=64m")
		if got := newDesk(t).run("measure", folder); got.code != 1 ||
			!strings.Contains(got.stderr, "mounted read-only") {
			t.Errorf("exit %d: %s", got.code, got.stderr)
		}
	})
	t.Run("full", func(t *testing.T) {
		folder := mounted(t, "tmpfs", "size=64m")
		if got := newDesk(t).run("measure", folder, "--size", "63MiB"); got.code != 1 ||
			!strings.Contains(got.stderr, "stay reserved") {
			t.Errorf("exit %d: %s", got.code, got.stderr)
		}
		assertEmpty(t, folder)
	})
	t.Run("filled by others meanwhile", func(t *testing.T) {
		folder := mounted(t, "tmpfs", "size=64m")
		d := newDesk(t)
		command := d.command("measure", folder, "--size", "32MiB", "--plan", "long-write", "--hold", "30s")
		others := filepath.Join(folder, "others")
		command.Stderr = &trigger{when: "filling", do: func() {
			time.AfterFunc(time.Second, func() { _ = os.WriteFile(others, make([]byte, 30<<20), 0o600) })
		}}
		if got := d.finish(command); got.code != 1 || !strings.Contains(got.stderr, "so writing was stopped") {
			t.Errorf("exit %d: %s", got.code, got.stderr)
		}
		s := decode[session.Session](t, d.must("logbook", "show", "latest", "--json"))
		if s.State != session.Failed || len(s.Passes) != 1 || !s.Passes[0].CutShort {
			t.Errorf("state %s with %d passes", s.State, len(s.Passes))
		}
		_ = os.Remove(others)
		assertEmpty(t, folder)
	})
	t.Run("without direct I/O", func(t *testing.T) {
		folder := mounted(t, "ramfs", "mode=755")
		d := newDesk(t)
		s := decode[session.Session](t, d.must("measure", folder, "--size", "8MiB", "--hold", "20ms", "--json"))
		if s.Passes[0].Direct {
			t.Error("the pass claims direct I/O")
		}
		if text := d.must("logbook", "show", "latest"); !strings.Contains(text, "does not do direct I/O") {
			t.Errorf("the table does not say so:\n%s", text)
		}
		assertEmpty(t, folder)
	})
}

// mounted mounts a small file system for a test, where that is allowed.
func mounted(t *testing.T, kind, options string) string {
	t.Helper()
	if os.Geteuid() != 0 || runtime.GOOS != "linux" {
		t.Skip("mounting a file system needs root on Linux")
	}
	folder := t.TempDir()
	if out, err := exec.Command("mount", "-t", kind, "-o", options, "opengauge-test",
		folder).CombinedOutput(); err != nil {
		t.Skipf("mounting %s is not possible here: %s", kind, out)
	}
	t.Cleanup(func() { _ = exec.Command("umount", folder).Run() })
	return folder
}

func TestHelpAndCompletion(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, command := range []string{"", "demo", "measure", "explain", "report", "logbook list", "logbook show",
		"plan list", "plan show", "plan check", "link", "survey", "probe", "foresee"} {
		text := d.must(append(strings.Fields(command), "--help")...)
		if !strings.Contains(text, "Examples:") || !strings.Contains(text, "Usage:") {
			t.Errorf("%q --help has no examples or usage", command)
		}
	}
	d.must("measure", "sim:sandpiper", "--name", "ebb", "--hold", "10ms")
	if offers := d.must("__complete", "explain", "e"); !regexp.MustCompile(`(?m)^ebb$`).MatchString(offers) {
		t.Errorf("explain completes to %q", offers)
	}
	if script := d.must("completion", "bash"); !strings.Contains(script, "opengauge") {
		t.Error("no completion script for bash")
	}
}

// needs skips where a program is not there; Debian has nbdkit, libnbd-bin and
// qemu-utils.
func needs(t *testing.T, programs ...string) {
	t.Helper()
	for _, name := range programs {
		if _, err := exec.LookPath(name); err != nil {
			t.Skipf("there is no %s here", name)
		}
	}
}

// awaitListener waits until somebody listens at an address.
func awaitListener(address string) error {
	var failure error
	for range 3000 {
		connection, err := net.Dial("tcp", address)
		if err == nil {
			return connection.Close()
		}
		failure = err
		time.Sleep(20 * time.Millisecond)
	}
	return fmt.Errorf("nobody listens: %w", failure)
}

// trigger does something once a text was written to it.
type trigger struct {
	when string
	do   func()
	once sync.Once
	seen bytes.Buffer
}

func (w *trigger) Write(text []byte) (int, error) {
	_, _ = w.seen.Write(text)
	if strings.Contains(w.seen.String(), w.when) {
		w.once.Do(w.do)
	}
	return len(text), nil
}
