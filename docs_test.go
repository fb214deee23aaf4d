package opengauge_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"opengauge/cli"
)

// Go files that documents name are there, and every package of the core and of present
// has its place in the architecture.
func TestDocumentsNameWhatIsThere(t *testing.T) {
	there := map[string]bool{}
	packages := map[string]bool{} // by folder
	goFiles(t, func(name string) {
		there[filepath.Base(name)] = true
		if strings.HasSuffix(name, "_test.go") {
			return
		}
		packages[filepath.ToSlash(filepath.Dir(name))] = true
	})
	documents, err := filepath.Glob("docs/*.md")
	if err != nil {
		t.Fatal(err)
	}
	names := regexp.MustCompile("`([a-z_]+\\.go)`")
	for _, document := range append(documents, "README.md", "CONTRIBUTING.md") {
		text, err := os.ReadFile(document)
		if err != nil {
			t.Fatal(err)
		}
		for _, match := range names.FindAllStringSubmatch(string(text), -1) {
			if !there[match[1]] {
				t.Errorf("%s names %s, and there is none", document, match[1])
			}
		}
	}
	architecture, err := os.ReadFile("docs/architecture.md")
	if err != nil {
		t.Fatal(err)
	}
	for folder := range packages {
		if !strings.HasPrefix(folder, "core/") && !strings.HasPrefix(folder, "present/") {
			continue
		}
		if base := filepath.Base(folder); !strings.Contains(string(architecture), "**"+base+"**") &&
			!strings.Contains(string(architecture), "\n## "+folder+"\n") && folder != "core/plan/builtin" {
			t.Errorf("the architecture does not say what %s is", folder)
		}
	}
}

// Paths of CONTRIBUTING.md and the architecture, written as `core/...`, are there.
func TestPathsInDocumentsAreThere(t *testing.T) {
	path := regexp.MustCompile("`((?:core|present|cli|docs|cmd|lab|examples)/[a-z_/.*-]+)`")
	for _, document := range []string{"CONTRIBUTING.md", "docs/architecture.md", "README.md", "docs/findings.md"} {
		text, err := os.ReadFile(document)
		if err != nil {
			t.Fatal(err)
		}
		for _, match := range path.FindAllStringSubmatch(string(text), -1) {
			if found, err := fs.Glob(os.DirFS("."), strings.TrimSuffix(match[1], "/")); err != nil || len(found) == 0 {
				t.Errorf("%s names %s, and there is none", document, match[1])
			}
		}
	}
}

// The worked examples are what the program says, as cli's golden files have it.
func TestTheReferenceOfExamplesIsCurrent(t *testing.T) {
	const name = "docs/findings.md"
	source, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	marked := regexp.MustCompile(`(?s)<!-- (explain-[a-z]+) -->\n.*?<!-- end -->`)
	if found := marked.FindAll(source, -1); len(found) < 3 {
		t.Errorf("%d worked examples", len(found))
	}
	made := marked.ReplaceAllStringFunc(string(source), func(block string) string {
		example := marked.FindStringSubmatch(block)[1]
		shown, err := os.ReadFile("cli/testdata/golden/" + example + ".txt")
		if err != nil {
			t.Error(err)
		}
		lines := strings.Split(strings.TrimRight(string(shown), "\n"), "\n")
		for i := range lines {
			lines[i] = strings.TrimRight(lines[i], " ")
		}
		return "<!-- " + example + " -->\n```text\n" + strings.Join(lines, "\n") + "\n```\n<!-- end -->"
	})
	if *update {
		if err := os.WriteFile(name, []byte(made), 0o600); err != nil {
			t.Error(err)
		}
		return
	}
	if made != string(source) {
		t.Errorf("%s does not show what the program says; run make docs", name)
	}
}

// docs/platforms.md says of each command how it is known on each system, and each test that
// it names is there.
func TestPlatformsNameTheirTests(t *testing.T) {
	text, err := os.ReadFile("docs/platforms.md")
	if err != nil {
		t.Fatal(err)
	}
	tests := map[string]bool{}
	goFiles(t, func(name string) {
		source, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		for _, match := range regexp.MustCompile(`(?m)^func (Test\w+)\(`).FindAllStringSubmatch(string(source), -1) {
			tests[match[1]] = true
		}
	})
	for _, match := range regexp.MustCompile("`(Test\\w+)`").FindAllStringSubmatch(string(text), -1) {
		if !tests[match[1]] {
			t.Errorf("it names %s, and there is no such test", match[1])
		}
	}
	_, table, _ := strings.Cut(string(text), "| | Linux | Windows | macOS | FreeBSD |\n|---|---|---|---|---|\n")
	table, _, _ = strings.Cut(table, "\n\n")
	named := strings.Builder{}
	cell := regexp.MustCompile("^(run|Wine|captures) `Test\\w+`$|^built$|^documentation(: [a-z ]+)?$")
	rows := strings.Split(table, "\n")
	for _, row := range rows {
		cells := strings.Split(strings.Trim(row, "| "), " | ")
		if len(cells) != 5 {
			t.Errorf("%q has %d cells", row, len(cells))
			continue
		}
		named.WriteString(cells[0])
		for _, each := range cells[1:] {
			if !cell.MatchString(each) {
				t.Errorf("%s: %q is no word for how it is known", cells[0], each)
			}
		}
	}
	for _, command := range cli.Tree().Commands() {
		if !strings.Contains(named.String(), "`"+command.Name()) && command.Name() != "help" {
			t.Errorf("nothing is said of %s", command.Name())
		}
	}
}
