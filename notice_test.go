package opengauge_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

const noticeName = "NOTICE"

// The notice holds the licence of everything that is linked into the program on any
// system that it is built for, and of what the page carries. It is made by make docs.
func TestTheNoticeIsCurrent(t *testing.T) {
	made := notice(t)
	if *update {
		if err := os.WriteFile(noticeName, []byte(made), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	held, err := os.ReadFile(noticeName)
	if err != nil || string(held) != made {
		t.Errorf("%s is not what is linked; run make docs (%v)", noticeName, err)
	}
}

// linkedModule is what a part of the program is linked from.
type linkedModule struct {
	Path, Version, Dir string
	Main               bool
	Replace            *linkedModule
}

func notice(t *testing.T) string {
	t.Helper()
	linked := map[string]linkedModule{}
	for _, system := range []string{"linux", "darwin", "windows"} {
		maps.Copy(linked, linkedFor(t, system))
	}
	if len(linked) < 5 {
		t.Fatalf("only %d modules are linked", len(linked))
	}
	var out strings.Builder
	out.WriteString("Open Gauge\n\nLicensed under Apache-2.0, see LICENSE. It is linked with the modules below, and its " +
		"report page\ncarries the library at the end, which draws what is touched. This file is made by make docs.\n")
	for _, path := range slices.Sorted(maps.Keys(linked)) {
		m := linked[path]
		licensed(t, &out, m.Path+" "+m.Version, m.Dir)
	}
	licensed(t, &out, "embedded in the report page", "present/page/vendor")
	return out.String()
}

// linkedFor are the modules that the program is linked from on a system, by path.
func linkedFor(t *testing.T, system string) map[string]linkedModule {
	t.Helper()
	list := exec.Command("go", "list", "-deps", "-json=Module", "./cmd/opengauge")
	list.Env = append(os.Environ(), "GOOS="+system, "GOARCH=amd64", "CGO_ENABLED=0")
	out, err := list.Output()
	if err != nil {
		t.Skipf("the modules for %s are not at hand, and cannot be fetched: %v", system, err)
	}
	linked := map[string]linkedModule{}
	for decoder := json.NewDecoder(bytes.NewReader(out)); ; {
		var one struct{ Module *linkedModule }
		if err := decoder.Decode(&one); errors.Is(err, io.EOF) {
			return linked
		} else if err != nil {
			t.Fatal(err)
		}
		if one.Module != nil && !one.Module.Main {
			linked[one.Module.Path] = *one.Module
		}
	}
}

var licenceName = regexp.MustCompile(`(?i)^(licen[cs]e|copying|notice|patents)([.-].*)?$|(?i)licen[cs]e\.(txt|md)$`)

// licensed writes all licences that stand in a folder, and those in the folders under
// it where there is none.
func licensed(t *testing.T, out *strings.Builder, what, folder string) {
	t.Helper()
	entries, err := fs.ReadDir(os.DirFS(folder), ".")
	if err != nil {
		t.Fatal(err)
	}
	found := false
	for _, entry := range entries {
		if entry.IsDir() || !licenceName.MatchString(entry.Name()) {
			continue
		}
		text, err := os.ReadFile(filepath.Join(folder, entry.Name()))
		if err != nil {
			t.Fatal(err)
		}
		found = true
		clean := strings.TrimSpace(strings.ReplaceAll(string(text), "\r\n", "\n"))
		out.WriteString("\n" + strings.Repeat("=", 80) + "\n" + what + ": " + entry.Name() + "\n\n" + clean + "\n")
	}
	if !found {
		t.Errorf("%s has no licence in %s", what, folder)
	}
}
