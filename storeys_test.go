// Package opengauge_test holds what is true of the whole house: which room may import
// which, that what the README says runs, that the docs say what the code does, and that
// the recipes of CONTRIBUTING still work.
package opengauge_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
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
	{"core/judge/"},
	{"core/standin"},
	{"core/measure/"},
	{"core/record/"},
	{"core/storage/"},
	{"core/bench/"},
	{"core/plan"},
	{"core/load", "core/load/"},
	{"core/unit", "core/stat", "core/document"},
}

// aside are rooms beside the house: data that anybody may read, and the laboratory.
var aside = []string{"examples", "lab", "lab/guest", "docs/generate"}

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

func isAside(room string) bool {
	for _, each := range aside {
		if room == each {
			return true
		}
	}
	return false
}

// climbs says what is wrong with a room's import, or nothing.
func climbs(room, imported string) string {
	from, known := storeyOf(room)
	to, there := storeyOf(imported)
	switch {
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
	err := filepath.WalkDir(".", func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() && (entry.Name() == ".git" || entry.Name() == ".lab" ||
			entry.Name() == "recipes") {
			return cmpDir(err, entry)
		}
		if entry.IsDir() || !strings.HasSuffix(name, ".go") || filepath.Dir(name) == "." {
			return nil
		}
		files++
		parsed, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, each := range parsed.Imports {
			imported, _ := strconv.Unquote(each.Path.Value)
			if !strings.HasPrefix(imported, module) {
				continue
			}
			if fault := climbs(path.Dir(filepath.ToSlash(name)), strings.TrimPrefix(imported, module)); fault != "" {
				t.Errorf("%s: %s", name, fault)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if files < 200 {
		t.Errorf("only %d files were looked at", files)
	}
}

func cmpDir(err error, entry fs.DirEntry) error {
	if err != nil {
		return err
	}
	return fs.SkipDir
}

// The test itself sees a room that climbs.
func TestAClimbIsSeen(t *testing.T) {
	for _, c := range []struct{ room, imported, want string }{
		{"core/record/session", "core/judge/finding", "climbs"},
		{"core/unit", "core/load", "climbs"},
		{"core/measure/run", "core/storage/sim", ""},
		{"core/bench/survey", "core/record/session", "climbs"},
		{"core/attic", "core/unit", "stands on no storey"},
		{"present/table", "present/figure", "climbs"},
	} {
		got := climbs(c.room, c.imported)
		if c.want == "" && got != "" || !strings.Contains(got, c.want) {
			t.Errorf("%s importing %s gives %q, want %q", c.room, c.imported, got, c.want)
		}
	}
}
