// Suite runs tests with go test, and says at their end how many there were, and which
// were skipped and why. With -allow FILE a skip whose reason is not in that file fails
// the run: what does not run proves nothing.
//
// It runs on one goroutine.
package main

import (
	"bufio"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strings"
)

func main() {
	allow := flag.String("allow", "", "a `file` of reasons for which tests may be skipped")
	flag.Parse()
	if err := run(*allow, flag.Args()); err != nil {
		fmt.Fprintln(os.Stderr, "suite:", err)
		os.Exit(1)
	}
}

// event is what go test -json says of a test.
type event struct {
	Action, Package, Test, Output string
	Elapsed                       float64
}

func run(allow string, arguments []string) error {
	allowed, err := reasons(allow)
	if err != nil {
		return err
	}
	tests := exec.Command("go", append([]string{"test", "-json", "-count=1"}, arguments...)...)
	tests.Stderr = os.Stderr
	out, err := tests.StdoutPipe()
	if err != nil {
		return err
	}
	if err := tests.Start(); err != nil {
		return err
	}
	s := &suite{output: map[string][]string{}, skipped: map[string][]string{}}
	read := s.read(out, os.Stdout)
	if err := errors.Join(read, tests.Wait()); err != nil {
		s.sum(os.Stdout)
		return fmt.Errorf("%d tests failed: %w", s.failed, err)
	}
	s.sum(os.Stdout)
	if unknown := s.beyond(allowed); allow != "" && len(unknown) > 0 {
		return fmt.Errorf("skipped for a reason that %s does not have: %s", allow, strings.Join(unknown, "; "))
	}
	return nil
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

// suite is what is known of the tests so far.
type suite struct {
	passed, failed int
	output         map[string][]string // of each test that is not over
	skipped        map[string][]string // tests by the reason
}

// read takes events as they come, and passes on how packages end and what failed says.
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
		fmt.Fprintf(to, "%-6s %6.1f s  %s\n", e.Action, e.Elapsed, e.Package)
	case e.Action == "pass":
		s.passed++
	case e.Action == "skip" && e.Test != "":
		reason := why(s.output[name])
		s.skipped[reason] = append(s.skipped[reason], e.Test)
	}
	if e.Action == "fail" || e.Action == "build-fail" {
		if e.Test != "" {
			s.failed++
		}
		fmt.Fprint(to, strings.Join(s.output[name], ""))
	}
	if e.Action == "pass" || e.Action == "fail" || e.Action == "skip" {
		delete(s.output, name)
	}
}

// place is the file and line in front of what a test says.
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

// sum says how many tests there were, and lists those that were skipped.
func (s *suite) sum(to io.Writer) {
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
