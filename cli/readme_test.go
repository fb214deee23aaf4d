package cli_test

import (
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"opengauge/lab/witness"
)

// Every command of the README runs as written, in its order, on a fresh logbook. Only
// the folders that it names are others here, and what would take minutes is shortened.
func TestTheCommandsOfTheReadme(t *testing.T) {
	if os.Getenv("OPENGAUGE_DOCUMENTS") == "" {
		t.Skip("make documents runs it: the README has many commands")
	}
	t.Parallel()
	shell, err := exec.LookPath("sh")
	if err != nil {
		t.Skip("the README's commands are for a shell: ", err)
	}
	place := newPlace(t)
	for _, line := range witness.Tour(t, "../README.md") {
		command := "bin/opengauge " +
			strings.NewReplacer("/media/", place+"/media/", "/home/me/", place+"/home/").Replace(line)
		run := exec.Command(shell, "-c", "exec "+command)
		run.Dir = place
		run.Env = append(os.Environ(), "OPENGAUGE_LOGBOOK="+filepath.Join(place, "logbook.db"),
			"HOME="+filepath.Join(place, "home"), "NO_COLOR=1")
		if strings.Contains(line, "standin") {
			serve(t, run)
			continue
		}
		if out, err := run.CombinedOutput(); err != nil {
			t.Errorf("%s: %v\n%s", line, err, out)
		}
	}
}

func readme(t *testing.T) string {
	t.Helper()
	text, err := os.ReadFile("../README.md")
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// newPlace is a folder like the one in which the README is read.
func newPlace(t *testing.T) string {
	t.Helper()
	place := steadyFolder(t)
	witness.Furnish(t, place)
	examples, err := filepath.Abs("../examples")
	if err != nil {
		t.Fatal(err)
	}
	for from, to := range map[string]string{program: "bin/opengauge", examples: "examples"} {
		if err := os.Symlink(from, filepath.Join(place, to)); err != nil {
			t.Skip("no symbolic links here: ", err)
		}
	}
	return place
}

// serve runs a stand-in until the test ends.
func serve(t *testing.T, standin *exec.Cmd) {
	t.Helper()
	address := "127.0.0.1:10809"
	if strings.Contains(strings.Join(standin.Args, " "), "standin wire") {
		address = "127.0.0.1:10808"
	}
	if taken, err := net.DialTimeout("tcp", address, time.Second); err == nil {
		_ = taken.Close()
		t.Skip("something else serves ", address)
	}
	if err := standin.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = standin.Process.Signal(os.Interrupt)
		_ = standin.Wait()
	})
	if err := awaitListener(address); err != nil {
		t.Fatal("the stand-in does not answer: ", err)
	}
}

// What the README names is there: pictures, documents, make targets and commands.
func TestWhatTheReadmeNames(t *testing.T) {
	t.Parallel()
	text := readme(t)
	for _, match := range regexp.MustCompile(`\]\(([^)#]+)\)`).FindAllStringSubmatch(text, -1) {
		if _, err := os.Stat(filepath.Join("..", match[1])); err != nil {
			t.Errorf("it links to %s: %v", match[1], err)
		}
	}
	makefile, err := os.ReadFile("../Makefile")
	if err != nil {
		t.Fatal(err)
	}
	for _, match := range regexp.MustCompile("`?make ([a-z-]+)`? ").FindAllStringSubmatch(text, -1) {
		if !regexp.MustCompile(`(?m)^` + match[1] + `:`).Match(makefile) {
			t.Errorf("it names make %s, and there is none", match[1])
		}
	}
	table := text[strings.Index(text, "| command | picture |"):]
	table, _, _ = strings.Cut(table, "\n\n")
	pictures, err := filepath.Glob("../docs/screenshots/*.png")
	if err != nil {
		t.Fatal(err)
	}
	if len(pictures) >= 20 {
		t.Errorf("there are %d screenshots", len(pictures))
	}
	for _, picture := range pictures {
		name := filepath.Base(picture)
		if strings.Count(table, name) != 1 && !strings.Contains(text, "("+"docs/screenshots/"+name+")") {
			t.Errorf("%s is shown nowhere", name)
		}
	}
	if rows := strings.Count(table, "![") + 2; rows != strings.Count(table, "\n")+1 {
		t.Errorf("the table of pictures has %d lines, %d pictures", strings.Count(table, "\n")+1, rows-2)
	}
	known := newDesk(t).must("--help")
	for _, match := range regexp.MustCompile("(?m)^\\| `opengauge ([a-z]+)").FindAllStringSubmatch(table, -1) {
		if !strings.Contains(known, "\n  "+match[1]+" ") {
			t.Errorf("the table names the command %s", match[1])
		}
	}
}
