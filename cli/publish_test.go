package cli_test

import (
	"bytes"
	"compress/flate"
	"encoding/base64"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

var payloads = regexp.MustCompile(`<script type="text/plain" data-for="[^"]*">([^<]*)</script>`)

// unfolded is all that a page holds: its text, and what is unpacked when folds are opened.
func unfolded(t *testing.T, file string) string {
	t.Helper()
	page, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	var all bytes.Buffer
	all.Write(page)
	for _, found := range payloads.FindAllSubmatch(page, -1) {
		packed, err := base64.StdEncoding.DecodeString(string(found[1]))
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.Copy(&all, flate.NewReader(bytes.NewReader(packed))); err != nil {
			t.Fatal(err)
		}
	}
	return all.String()
}

// An anonymous page says nobody's names: not in what is shown, nor behind folds, nor in its
// data; what was the same is still the same.
func TestAnonymousPages(t *testing.T) {
	t.Parallel()
	d, folder := demoDesk(t), t.TempDir()
	loose, review := filepath.Join(folder, "loose.html"), filepath.Join(folder, "review.html")
	d.must("report", "deck-long-cable", "cabin-short-cable", "deck-short-cable", "--anonymous", "--out", loose)
	made := filepath.Dir(demoPage(t))
	of := desk{t: t, logbook: filepath.Join(made, "demo-logbook.db")}
	of.must("review", "report", filepath.Join(made, "deck.yaml"), "--bench", filepath.Join(made, "bench.yaml"),
		"--anonymous", "--out", review)
	for _, page := range []string{loose, review} {
		text := unfolded(t, page)
		for _, name := range []string{"deck-tablet", "cabin-desk"} {
			if at := strings.Index(text, name); at >= 0 {
				t.Errorf("%s: it says %q", filepath.Base(page), text[max(at-60, 0):at+40])
			}
		}
		wants(t, page, text, "host-1", "host-2")
		other := newDesk(t)
		wants(t, "import", other.must("logbook", "import", page), "added ")
		exported := other.must("logbook", "export", "--all", "--format", "json", "--out", "-")
		if strings.Contains(exported, "deck-tablet") || strings.Contains(exported, "cabin-desk") {
			t.Errorf("the data of %s hold a name", filepath.Base(page))
		}
	}
	text := unfolded(t, review)
	wants(t, "the anonymous review", text, "host: no difference that matters",
		"short-cable/barnacle/sandpiper: 300 GB in ")
	if strings.Contains(text, "The review was changed") {
		t.Error("other names are taken for another review")
	}
}

// What a page carries is what was measured: a reader who takes it in gets the same answer.
func TestAReaderOfAPageGoesOn(t *testing.T) {
	t.Parallel()
	made := filepath.Dir(demoPage(t))
	reader := newDesk(t)
	got := reader.run("logbook", "import", filepath.Join(made, "report.html"))
	if got.code != 0 || !strings.Contains(got.stderr, "It proves nothing of who wrote the page") {
		t.Errorf("exit %d, %s", got.code, got.stderr)
	}
	ask := []string{"review", "answer", filepath.Join(made, "deck.yaml"), "--bench", filepath.Join(made, "bench.yaml")}
	author := desk{t: t, logbook: filepath.Join(made, "demo-logbook.db")}
	if mine, theirs := reader.must(ask...), author.must(ask...); mine != theirs {
		t.Errorf("the reader is told\n%s\nand the author\n%s", mine, theirs)
	}
	page, err := os.ReadFile(filepath.Join(made, "report.html"))
	if err != nil {
		t.Fatal(err)
	}
	at := bytes.LastIndex(page, []byte(`id="opengauge-sessions"`)) + 2000
	page[at] ^= 1
	damaged := filepath.Join(t.TempDir(), "damaged.html")
	if err := os.WriteFile(damaged, page, 0o600); err != nil {
		t.Fatal(err)
	}
	other := newDesk(t)
	got = other.run("logbook", "import", damaged)
	if got.code != 1 || !strings.Contains(got.stderr, "nothing was taken in") {
		t.Errorf("of a damaged page: exit %d, %s", got.code, got.stderr)
	}
}

// A review of which nothing was measured has no report, and says what to do.
func TestAReportOfNothing(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	got := d.run("review", "report", "../examples/reviews/deck.yaml", "--out", filepath.Join(t.TempDir(), "x.html"))
	if got.code != 1 || !strings.Contains(got.stderr, "begin with opengauge review run") {
		t.Errorf("exit %d, %s", got.code, got.stderr)
	}
	if got := d.run("review", "report", "../examples/reviews/deck.yaml"); got.code != 2 {
		t.Errorf("without a file: exit %d, %s", got.code, got.stderr)
	}
}
