package conduct

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/bench/survey"
	"opengauge/core/review"
)

// deskBench is what is at the machine of the example's capture, and what is not.
const deskBench = `hosts:
  desk: {ports: {front: usb4 40g}}
cables:
  short: {link: usb4 40g}
enclosures:
  barnacle: {link: usb4 40g, bridge: BB-40}
  limpet: {link: usb 3.2 gen 2, bridge: LB-10}
drives:
  sandpiper: {link: pcie 3.0 x4, serial: TWF-0413}
  dunlin: {link: pcie 3.0 x4, serial: TWF-9999}
  godwit: {link: pcie 4.0 x4, serial: TWF-2217}
  plain: {link: pcie 3.0 x4}
`

// captured is a machine whose files a test may change.
func captured(t *testing.T) (*survey.Machine, string) {
	t.Helper()
	folder := t.TempDir()
	unpack := exec.Command("tar", "-xzf", "../../../examples/cabin-desk.tar.gz", "-C", folder)
	if out, err := unpack.CombinedOutput(); err != nil {
		t.Skipf("the capture cannot be unpacked here: %s", out)
	}
	m, err := survey.Under(folder)
	if err != nil {
		t.Fatal(err)
	}
	return m, folder
}

// cellOf is the first cell of a review of parts.
func cellOf(t *testing.T, b book.Book, with string) *review.Cell {
	t.Helper()
	r, err := review.Parse("review.yaml", []byte("review: r\nquestion: q\ncompare: {mood: [good, bad]}\nwith: "+
		"{"+with+"}\nmeasure: "+
		"[{plan: quick}]\ndecide: {largest: rate, of: write}\n"), b)
	if err != nil {
		t.Fatal(err)
	}
	c := r.Cells()[0]
	c.All = c.All[1:] // nobody sees a mood
	return &c
}

func TestWhatTheSurveySees(t *testing.T) {
	m, folder := captured(t)
	b, err := book.Parse("bench.yaml", []byte(deskBench))
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		with, where         string
		seen, wrong, unseen string
	}{
		{"host: desk, cable: short, enclosure: barnacle, drive: sandpiper, firmware: \"1.2\"", "/media/barnacle",
			"barnacle, by its bridge, which says \"Barnacle\"; sandpiper, by its serial TWF-0413; firmware 1.2", "",
			"the host desk; the cable short"},
		{"host: desk, enclosure: barnacle, drive: sandpiper, firmware: \"9\"", "/media/barnacle", "serial TWF-0413",
			"the drive says firmware 1.2, and 9 is asked for", "the host desk"},
		{"host: desk, enclosure: limpet, drive: sandpiper", "/media/barnacle", "sandpiper, by its serial",
			"the bridge says \"Barnacle\", which is barnacle, and limpet is asked for", "the host desk"},
		{"host: desk, enclosure: barnacle, drive: dunlin", "", "", "dunlin (serial TWF-9999) is not there",
			"the host desk; the enclosure barnacle"},
		{"host: desk, enclosure: barnacle, drive: plain", "", "", "says no serial of plain", "the host desk"},
		{"drive: sandpiper, fan: \"on\"", "/media/barnacle", "serial", "", "fan on"},
	} {
		s := look(m, cellOf(t, b, c.with), "", b)
		if s.Where != c.where || !strings.Contains(strings.Join(s.Seen, "; "), c.seen) ||
			!strings.Contains(strings.Join(s.Wrong, "; "), c.wrong) || (c.wrong == "") != (len(s.Wrong) == 0) ||
			!strings.HasPrefix(strings.Join(s.Unseen, "; "), c.unseen) || s.Right() != (c.wrong == "") {
			t.Errorf("%s: at %q, seen %q, wrong %q, not seen %q", c.with, s.Where, s.Seen, s.Wrong, s.Unseen)
		}
	}
	// The two drives say one serial.
	changed := 0
	_ = filepath.Walk(folder, func(name string, _ os.FileInfo, _ error) error {
		if source, err := os.ReadFile(name); err == nil && strings.TrimSpace(string(source)) == "TWF-2217" {
			changed++
			return os.WriteFile(name, []byte("TWF-0413\n"), 0o644)
		}
		return nil
	})
	s := look(m, cellOf(t, b, "drive: sandpiper"), "", b)
	if changed == 0 || s.Right() || !strings.Contains(strings.Join(s.Wrong, " "), "both say the serial TWF-0413") {
		t.Errorf("%d changed; wrong is %q", changed, s.Wrong)
	}
}

// A link that trained to less than the book says is no set-up to measure.
func TestALinkThatTrainedOtherwise(t *testing.T) {
	m, folder := captured(t)
	b, err := book.Parse("bench.yaml", []byte(strings.ReplaceAll(deskBench, "usb4 40g", "usb4 80g")))
	if err != nil {
		t.Fatal(err)
	}
	s := look(m, cellOf(t, b, "host: desk, cable: short, enclosure: barnacle, drive: sandpiper"), "", b)
	if s.Right() || !strings.Contains(strings.Join(s.Wrong, " "), "a link trained otherwise: the bench book says "+
		"usb4 80g") {
		t.Errorf("wrong is %q", s.Wrong)
	}
	b, err = book.Parse("bench.yaml", []byte(deskBench))
	if err != nil {
		t.Fatal(err)
	}
	s = look(m, cellOf(t, b, "host: desk, cable: short, enclosure: barnacle, drive: sandpiper"), "", b)
	s.otherwise(s.Seen)
	if !s.Right() {
		t.Errorf("as at the first visit: %q", s.Wrong)
	}
	s.otherwise([]string{"Barnacle at thunderbolt 5"})
	if s.Right() || !strings.Contains(s.Wrong[0], "Barnacle runs at thunderbolt 4, and at the first visit at "+
		"thunderbolt 5") {
		t.Errorf("a link that runs otherwise than at the first visit: %q of %q", s.Wrong, s.Seen)
	}
	if s := look(m, cellOf(t, b, "drive: plain"), filepath.Join(folder, "nowhere"), b); s.Right() ||
		!strings.Contains(s.Wrong[0], "there is no folder") {
		t.Errorf("%q", s.Wrong)
	}
	if s := look(m, cellOf(t, b, "drive: plain"), folder, b); !s.Right() || len(s.Unseen) != 1 {
		t.Errorf("a folder that nobody knows the drive of: %+v", s)
	}
	if s := look(m, cellOf(t, b, "drive: sandpiper"), folder, b); s.Right() {
		t.Errorf("a folder of which the drive is known and is not seen: %+v", s)
	}
}
