package cli_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"
)

// What other people's files say is shown, and acts on nothing: not on a terminal, and not
// on the order of letters on a page or in a kit.
func TestHostileTextsActOnNothing(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), t.TempDir()
	d.must("measure", "sim:sandpiper", "--plan", "quick-read", "--name", "bait")
	var document map[string]any
	if err := json.Unmarshal([]byte(d.must("logbook", "show", "bait", "--json")), &document); err != nil {
		t.Fatal(err)
	}
	const hostile = "x\x1b]0;title\x07\x1b[31m\u202egnp.exe\u2066\u009b"
	document["id"], document["name"] = "hostile0001", "hostile"
	document["events"] = []map[string]any{{"t_seconds": 3, "kind": "kernel", "detail": hostile}}
	document["target"].(map[string]any)["address"] = hostile
	text, err := json.Marshal(document)
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(folder, "hostile.json")
	if err := os.WriteFile(file, text, 0o600); err != nil {
		t.Fatal(err)
	}
	d.must("logbook", "import", file)
	page, made, image := filepath.Join(folder, "page.html"), filepath.Join(folder, "kit"), filepath.Join(folder, "f.svg")
	d.must("report", "hostile0001", "--out", page, "--kit", made, "--image", image)
	files := []string{page, image}
	more, _ := filepath.Glob(filepath.Join(made, "*.*"))
	for _, each := range append(files, more...) {
		if strings.HasSuffix(each, ".png") {
			continue
		}
		acting(t, filepath.Base(each), must1(os.ReadFile(each))(t))
	}
	for _, arguments := range [][]string{{"explain", "hostile0001"}, {"logbook", "list"},
		{"logbook", "show", "hostile0001"}, {"compare", "bait", "hostile0001"}} {
		got := d.run(arguments...)
		acting(t, strings.Join(arguments, " "), []byte(got.stdout+got.stderr))
	}
}

// acting reports what in a text acts on whoever shows it.
func acting(t *testing.T, name string, text []byte) {
	t.Helper()
	if !utf8.Valid(text) || len(text) == 0 {
		t.Errorf("%s has %d bytes, which are no text", name, len(text))
	}
	at := bytes.IndexFunc(text, func(r rune) bool {
		return r != '\n' && r != '\t' && r != '\r' && unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r)
	})
	if at >= 0 {
		t.Errorf("%s has %q in it", name, text[max(0, at-30):min(len(text), at+20)])
	}
}
