package cli_test

import (
	"bytes"
	"encoding/base64"
	"html/template"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/record/session"
)

// A note is shown in explain and in reports, and leaves with the session but for the name
// and the photo where it is anonymous.
func TestNotesOfASession(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.must("measure", "sim:curlew", "--plan", "quick-read", "--hold", "1s", "--through", "barnacle", "--condition",
		"fan=on", "--name", "noted")
	var picture bytes.Buffer
	if err := png.Encode(&picture, image.NewGray(image.Rect(0, 0, 8, 8))); err != nil {
		t.Fatal(err)
	}
	folder := t.TempDir()
	photo := filepath.Join(folder, "bench.png")
	if err := os.WriteFile(photo, picture.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	d.must("logbook", "note", "noted", "<b>hot</b> to the touch", "--at", "1s", "--photo", photo)
	d.must("logbook", "note", "noted", "--condition", "fan=off")
	out := d.must("explain", "noted")
	for _, want := range []string{"<b>hot</b> to the touch; photo bench.png", ", at 1 s: ",
		"corrected fan: off instead of on"} {
		if !strings.Contains(out, want) {
			t.Errorf("%q, want %q in it", out, want)
		}
	}
	page := filepath.Join(folder, "page.html")
	d.must("report", "noted", "--out", page)
	written, _ := os.ReadFile(page)
	encoded := base64.StdEncoding.EncodeToString(picture.Bytes())
	if !bytes.Contains(written, []byte("data:image/png;base64,"+template.HTMLEscapeString(encoded)[:40])) ||
		!bytes.Contains(written, []byte("&lt;b&gt;hot&lt;/b&gt;")) || bytes.Contains(written, []byte("<b>hot")) {
		t.Error("the page has no note, no photo, or takes a note for markup")
	}
	kit := filepath.Join(folder, "kit")
	d.must("report", "noted", "--kit", kit)
	if got, err := os.ReadFile(filepath.Join(kit, "photo-bench.png")); err != nil || !bytes.Equal(got, picture.Bytes()) {
		t.Errorf("the kit's photo: %v", err)
	}
	hidden := d.must("logbook", "export", "noted", "--anonymous", "--out", "-")
	if strings.Contains(hidden, encoded[:20]) || !strings.Contains(hidden, "to the touch") {
		t.Error("the photo is in an anonymous export, or the note is not")
	}
	if s := decode[session.Session](t, d.must("logbook", "show", "noted", "--json")); s.Conditions["fan"] != "off" {
		t.Errorf("conditions are %v", s.Conditions)
	}
	for _, c := range [][]string{{"x", "--at", "2h"}, {"x", "--at", "noon"}, {}, {"x", "--part", "drive=nonesuch"},
		{"--photo", page}, {"--condition", "fan"}} {
		if got := d.run(append([]string{"logbook", "note", "noted"}, c...)...); got.code == 0 || got.stderr == "" {
			t.Errorf("%q: exit %d", c, got.code)
		}
	}
}
