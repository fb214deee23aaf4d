// Package opengauge_test holds what is true of the whole house: which room may import
// which, that what the README says runs, that the docs say what the code does, and that
// the recipes of CONTRIBUTING still work.
package opengauge_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"
)

const module = "opengauge/"

// storeys are the rooms of the house from the roof down, a storey a line. A room may
// import its own storey and those below it, and so may its tests.
var storeys = [][]string{
	{"cmd/"},
	{"cli"},
	{"present/page", "present/kit", "present/term", "present/image"},
	{"present/article"},
	{"present/figure"},
	{"present/table"},
	{"present/text"},
	{"core/review", "core/review/"},
	{"core/judge/"},
	{"core/standin"},
	{"core/measure/"},
	{"core/record/"},
	{"core/storage/"},
	{"core/bench/"},
	{"core/plan"},
	{"core/load", "core/load/"},
	{"core/unit", "core/stat", "core/document", "core/clock", "core/input"},
}

// aside are rooms beside the house: the tests that look at all of it, and data that anybody
// may read. The laboratory is one too, with its tools and the support that tests share.
var aside = []string{".", "examples"}

// inLab reports whether a room belongs to the laboratory, which only tests may import.
func inLab(room string) bool { return room == "lab" || strings.HasPrefix(room, "lab/") }

// storeyOf gives the number of a room's storey, from the roof.
func storeyOf(room string) (int, bool) {
	for i, rooms := range storeys {
		for _, each := range rooms {
			if room == each || strings.HasSuffix(each, "/") && strings.HasPrefix(room, each) {
				return i, true
			}
		}
	}
	return 0, false
}

func isAside(room string) bool { return slices.Contains(aside, room) || inLab(room) }

// climbs says what is wrong with a file's import of a room, or nothing.
func climbs(file, imported string) string {
	room := path.Dir(file)
	from, known := storeyOf(room)
	to, there := storeyOf(imported)
	switch {
	case inLab(imported) && !inLab(room) && !strings.HasSuffix(file, "_test.go"):
		return "it imports " + imported + ", which is for tests alone"
	case isAside(room) || isAside(imported):
		return ""
	case !known:
		return "the room " + room + " stands on no storey; give it one in storeys_test.go"
	case !there:
		return "it imports " + imported + ", which stands on no storey"
	case to < from:
		return "it climbs to " + imported
	}
	return ""
}

// A room imports its own storey and those below, never one above; test files too.
func TestNoRoomClimbs(t *testing.T) {
	files := 0
	goFiles(t, func(name string) {
		files++
		parsed, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ImportsOnly)
		if err != nil {
			t.Fatal(err)
		}
		for _, each := range parsed.Imports {
			imported, _ := strconv.Unquote(each.Path.Value)
			if !strings.HasPrefix(imported, module) {
				continue
			}
			if fault := climbs(name, strings.TrimPrefix(imported, module)); fault != "" {
				t.Errorf("%s: %s", name, fault)
			}
		}
	})
	if files < 200 {
		t.Errorf("only %d files were looked at", files)
	}
}

// goFiles looks at every Go file, those beside the house too.
func goFiles(t *testing.T, look func(name string)) {
	t.Helper()
	err := filepath.WalkDir(".", func(name string, entry fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case entry.IsDir() && slices.Contains([]string{".git", ".lab", "bin"}, entry.Name()):
			return fs.SkipDir
		case !entry.IsDir() && strings.HasSuffix(name, ".go"):
			look(filepath.ToSlash(name))
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// The test itself sees a room that climbs.
func TestAClimbIsSeen(t *testing.T) {
	for _, c := range []struct{ file, imported, want string }{
		{"core/record/session/session.go", "core/judge/finding", "climbs"},
		{"core/unit/bytes.go", "core/load", "climbs"},
		{"core/measure/run/run.go", "core/storage/sim", ""},
		{"core/bench/survey/survey.go", "core/record/session", "climbs"},
		{"core/attic/attic.go", "core/unit", "stands on no storey"},
		{"present/table/table.go", "present/figure", "climbs"},
		{"core/unit/bytes.go", "lab/witness", "for tests alone"},
		{"core/unit/bytes_test.go", "lab/witness", ""},
		{"lab/torture/main.go", "lab/witness", ""},
	} {
		got := climbs(c.file, c.imported)
		if c.want == "" && got != "" || !strings.Contains(got, c.want) {
			t.Errorf("%s importing %s gives %q, want %q", c.file, c.imported, got, c.want)
		}
	}
}

const (
	longestLine     = 120
	longestFunction = 60
	mostParameters  = 5
)

// rawLines are the lines of a test on which a text in raw quotes stands: what is quoted
// has the lines that it has.
func rawLines(set *token.FileSet, parsed *ast.File, isTest bool) map[int]bool {
	lines := map[int]bool{}
	ast.Inspect(parsed, func(n ast.Node) bool {
		if literal, ok := n.(*ast.BasicLit); ok && isTest && strings.HasPrefix(literal.Value, "`") {
			for line := set.Position(literal.Pos()).Line; line <= set.Position(literal.End()).Line; line++ {
				lines[line] = true
			}
		}
		return true
	})
	return lines
}

// Lines, functions and lists of parameters stay as short as CONTRIBUTING says. Texts in
// raw quotes in tests, and generated files, are aside.
func TestLinesAndFunctionsAreShort(t *testing.T) {
	goFiles(t, func(name string) {
		set := token.NewFileSet()
		parsed, err := parser.ParseFile(set, name, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		isTest := strings.HasSuffix(name, "_test.go")
		quoted := rawLines(set, parsed, isTest)
		source, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		for i, line := range strings.Split(string(source), "\n") {
			if count := utf8.RuneCountInString(line); count > longestLine && !quoted[i+1] {
				t.Errorf("%s:%d has %d columns, more than %d", name, i+1, count, longestLine)
			}
		}
		for _, declaration := range parsed.Decls {
			function, ok := declaration.(*ast.FuncDecl)
			if !ok || function.Body == nil || isTest {
				continue
			}
			if lines := set.Position(function.End()).Line - set.Position(function.Pos()).Line + 1; lines > longestFunction {
				t.Errorf("%s: %s has %d lines, more than %d", name, function.Name.Name, lines, longestFunction)
			}
			if count := function.Type.Params.NumFields(); count > mostParameters {
				t.Errorf("%s: %s has %d parameters, more than %d", name, function.Name.Name, count, mostParameters)
			}
		}
	})
}
