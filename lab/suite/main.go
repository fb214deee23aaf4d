// Suite runs tests with go test. At the end it counts them, lists the skipped ones with their
// reasons and the slowest ones, and gives the cost of each package and of the whole. With -allow
// FILE a skip whose reason is not in that file fails the run: a test that does not run proves
// nothing.
//
// It runs on one goroutine.
package main

import (
	"bufio"
	"cmp"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

func main() {
	if costs := os.Getenv(costsVariable); costs != "" {
		os.Exit(account(costs, os.Args[1:]))
	}
	allow := flag.String("allow", "", "a `file` of reasons for which tests may be skipped")
	slowest := flag.Int("slowest", 10, "how many of the slowest tests to list")
	flag.Parse()
	if err := run(*allow, *slowest, flag.Args()); err != nil {
		fmt.Fprintln(os.Stderr, "suite:", err)
		os.Exit(1)
	}
}

// event is one line of go test -json.
type event struct {
	Action, Package, Test, Output string
	Elapsed                       float64
}

func run(allow string, slowest int, arguments []string) error {
	allowed, err := reasons(allow)
	if err != nil {
		return err
	}
	costs, err := os.MkdirTemp("", "opengauge-suite-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(costs)
	self, err := os.Executable()
	if err != nil {
		return err
	}
	began := time.Now()
	// Without paths in them, packages that were compiled in another folder are taken from the cache.
	tests := exec.Command("go", append([]string{"test", "-trimpath", "-json", "-count=1", "-exec", self},
		arguments...)...)
	// Compilers, linkers and tests spend a sixth less of the processor on garbage this way. What is
	// set already stays.
	tests.Env = append([]string{"GOGC=400", "GOMEMLIMIT=3GiB"}, append(os.Environ(), costsVariable+"="+costs)...)
	tests.Stderr = os.Stderr
	out, err := tests.StdoutPipe()
	if err != nil {
		return err
	}
	if err := tests.Start(); err != nil {
		return err
	}
	s := newSuite()
	s.costs = costs
	failure := errors.Join(s.read(out, os.Stdout), tests.Wait())
	used := tests.ProcessState.UserTime() + tests.ProcessState.SystemTime()
	s.sum(os.Stdout, slowest)
	fmt.Printf("took %.0f s, and %.0f s of processor time\n", time.Since(began).Seconds(), used.Seconds())
	if failure != nil {
		return fmt.Errorf("%d tests failed: %w", s.failed, failure)
	}
	if unknown := s.beyond(allowed); allow != "" && len(unknown) > 0 {
		return fmt.Errorf("skipped for a reason that %s does not have: %s", allow, strings.Join(unknown, "; "))
	}
	return nil
}

// costsVariable names the folder for the costs of test programs. A suite that is started with it
// runs one test program.
const costsVariable = "OPENGAUGE_SUITE_COSTS"

// account runs a test program in its package's folder, writes its processor time and its
// children's to a file, and returns its exit code.
func account(costs string, words []string) int {
	program := exec.Command(words[0], words[1:]...)
	program.Env = append(os.Environ(), costsVariable+"=")
	program.Stdout = os.Stdout
	program.Stderr = os.Stderr
	err := program.Run()
	if program.ProcessState == nil {
		fmt.Fprintln(os.Stderr, "suite:", err)
		return 1
	}
	used := program.ProcessState.UserTime() + program.ProcessState.SystemTime()
	name := filepath.Join(costs, costName(folder()))
	if err := os.WriteFile(name, strconv.AppendFloat(nil, used.Seconds(), 'f', 1, 64), 0o600); err != nil {
		fmt.Fprintln(os.Stderr, "suite:", err)
	}
	return program.ProcessState.ExitCode()
}

// folder returns the folder of the package under test below the module's, or "." for that.
func folder() string {
	here, err := os.Getwd()
	if err != nil {
		return "."
	}
	for above := here; above != filepath.Dir(above); above = filepath.Dir(above) {
		if _, err := os.Stat(filepath.Join(above, "go.mod")); err == nil {
			below, _ := filepath.Rel(above, here)
			return below
		}
	}
	return "."
}

// costName is the name of the file for a package's folder, which is "." for the module's own.
func costName(folder string) string {
	return "cost~" + strings.ReplaceAll(filepath.ToSlash(folder), "/", "~")
}

// reasons reads a list of regular expressions, a line each; # begins a comment.
func reasons(file string) ([]*regexp.Regexp, error) {
	if file == "" {
		return nil, nil
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	var all []*regexp.Regexp
	for _, line := range strings.Split(string(text), "\n") {
		line, _, _ = strings.Cut(line, "#")
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		reason, err := regexp.Compile(line)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", file, err)
		}
		all = append(all, reason)
	}
	return all, nil
}

// suite holds how the tests have ended so far.
type suite struct {
	passed, failed int
	output         map[string][]string // of each test that is not over
	skipped        map[string][]string // tests by the reason
	took           []timed
	costs          string // the folder of what test programs cost
}

// timed is a test with the seconds that it took.
type timed struct {
	name    string
	seconds float64
}

func newSuite() *suite {
	return &suite{output: map[string][]string{}, skipped: map[string][]string{}}
}

// read reads events as they come, and prints the end of each package and the output of failed
// tests.
func (s *suite) read(from io.Reader, to io.Writer) error {
	lines := bufio.NewScanner(from)
	lines.Buffer(nil, 16<<20)
	for lines.Scan() {
		var e event
		if json.Unmarshal(lines.Bytes(), &e) != nil { // what a compiler says
			fmt.Fprintln(to, lines.Text())
			continue
		}
		s.take(e, to)
	}
	return lines.Err()
}

func (s *suite) take(e event, to io.Writer) {
	name := e.Package + " " + e.Test
	switch {
	case e.Action == "output":
		s.output[name] = append(s.output[name], e.Output)
		return
	case e.Test == "" && (e.Action == "pass" || e.Action == "fail"):
		fmt.Fprintf(to, "%-6s %6.1f s %s  %s\n", e.Action, e.Elapsed, s.costOf(e.Package), e.Package)
	case e.Action == "pass":
		s.passed++
	case e.Action == "skip" && e.Test != "":
		reason := why(s.output[name])
		s.skipped[reason] = append(s.skipped[reason], e.Test)
	}
	if e.Action == "fail" || e.Action == "build-fail" {
		if e.Test != "" {
			s.failed++
		} else {
			s.tellUnfinished(e.Package, to)
		}
		fmt.Fprint(to, strings.Join(s.output[name], ""))
	}
	if e.Action == "pass" || e.Action == "fail" || e.Action == "skip" {
		if e.Test != "" && !strings.Contains(e.Test, "/") {
			s.took = append(s.took, timed{strings.TrimPrefix(e.Package, "opengauge/") + " " + e.Test, e.Elapsed})
		}
		delete(s.output, name)
	}
}

// tellUnfinished names the tests of a package that had begun and were not over when its program ended, with
// the end of their output: one of them hangs, or took the others down.
func (s *suite) tellUnfinished(folder string, to io.Writer) {
	const shown = 30
	for _, name := range slices.Sorted(maps.Keys(s.output)) {
		of, test, _ := strings.Cut(name, " ")
		lines := s.output[name]
		if of != folder || test == "" || strings.Contains(lines[len(lines)-1], "=== PAUSE") {
			continue
		}
		fmt.Fprintf(to, "did not end: %s\n%s", test, strings.Join(lines[max(0, len(lines)-shown):], ""))
	}
}

// costOf returns the processor time of a package's test program, or spaces.
func (s *suite) costOf(name string) string {
	folder := cmp.Or(strings.TrimPrefix(strings.TrimPrefix(name, "opengauge"), "/"), ".")
	if used, err := os.ReadFile(filepath.Join(s.costs, costName(folder))); err == nil {
		return fmt.Sprintf("%6s s CPU", used)
	}
	return strings.Repeat(" ", len("   0.0 s CPU"))
}

// place matches the file and line in front of a test's message.
var place = regexp.MustCompile(`^\s*[a-z_0-9]+\.go:\d+: `)

// why is the reason that a skipped test gave last.
func why(output []string) string {
	reason := "no reason given"
	for _, line := range output {
		if at := place.FindString(line); at != "" {
			reason = strings.TrimSpace(line[len(at):])
		}
	}
	return reason
}

// sum says how many tests there were, and lists those that were skipped and the slowest.
func (s *suite) sum(to io.Writer, slowest int) {
	slices.SortFunc(s.took, func(a, b timed) int { return cmp.Compare(b.seconds, a.seconds) })
	if slowest = min(slowest, len(s.took)); slowest > 0 {
		fmt.Fprintf(to, "\nthe slowest %d:\n", slowest)
		for _, each := range s.took[:slowest] {
			fmt.Fprintf(to, "%6.1f s  %s\n", each.seconds, each.name)
		}
	}
	count := 0
	for _, tests := range s.skipped {
		count += len(tests)
	}
	fmt.Fprintf(to, "\n%d tests passed, %d failed, %d were skipped\n", s.passed, s.failed, count)
	for _, reason := range slices.Sorted(maps.Keys(s.skipped)) {
		fmt.Fprintf(to, "%5d  %s: %s\n", len(s.skipped[reason]), reason, strings.Join(s.skipped[reason], ", "))
	}
}

// beyond are the reasons for skips that none of those allowed matches.
func (s *suite) beyond(allowed []*regexp.Regexp) []string {
	return slices.DeleteFunc(slices.Sorted(maps.Keys(s.skipped)), func(reason string) bool {
		return slices.ContainsFunc(allowed, func(known *regexp.Regexp) bool { return known.MatchString(reason) })
	})
}
