package opengauge_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// Go files that documents name are there, and every package of the core and of present
// has its place in the architecture.
func TestDocumentsNameWhatIsThere(t *testing.T) {
	there := map[string]bool{}
	packages := map[string]string{} // a folder, and the comment over its package
	goFiles(t, func(name string) {
		there[filepath.Base(name)] = true
		if strings.HasSuffix(name, "_test.go") {
			return
		}
		parsed, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.PackageClauseOnly|parser.ParseComments)
		if err != nil {
			t.Fatal(err)
		}
		packages[filepath.ToSlash(filepath.Dir(name))] += parsed.Doc.Text()
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
	for folder, comment := range packages {
		if !strings.HasPrefix(folder, "core/") && !strings.HasPrefix(folder, "present/") {
			continue
		}
		if base := filepath.Base(folder); !strings.Contains(string(architecture), "**"+base+"**") &&
			!strings.Contains(string(architecture), "\n## "+folder+"\n") && folder != "core/plan/builtin" {
			t.Errorf("the architecture does not say what %s is", folder)
		}
		if !regexp.MustCompile(`goroutine|at once`).MatchString(comment) {
			t.Errorf("%s does not say who may use it at once", folder)
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
