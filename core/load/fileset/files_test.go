package fileset

import (
	"bytes"
	"compress/flate"
	"io"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"opengauge/core/unit"
)

func TestSetsHoldWhatWasAskedAndAreTheSameEverywhere(t *testing.T) {
	for _, name := range Names() {
		set, err := New(name, 200*unit.MiB+123, 7)
		if err != nil {
			t.Fatal(err)
		}
		again, _ := New(name, 200*unit.MiB+123, 7)
		other, _ := New(name, 200*unit.MiB+123, 8)
		if set.Bytes() != 200*unit.MiB+123 || !reflect.DeepEqual(set, again) {
			t.Errorf("%s holds %d bytes, or is not the same again", name, set.Bytes())
		}
		if name != "large-file" && reflect.DeepEqual(set.Entries, other.Entries) {
			t.Errorf("%s is the same with another seed", name)
		}
		paths := map[string]bool{}
		for _, entry := range set.Entries {
			if paths[entry.Path] || entry.Size <= 0 || strings.HasPrefix(entry.Path, "/") ||
				strings.Contains(entry.Path, "..") {
				t.Fatalf("%s: the entry %+v is odd, or twice there", name, entry)
			}
			paths[entry.Path] = true
		}
	}
}

// The bytes of seed 1 are written down: if they change, another lab's figures are of
// other files.
func TestContentIsFixed(t *testing.T) {
	set, _ := New("mixed-folder", 20*unit.MiB, 1)
	first := make([]byte, 16)
	_, _ = set.Content(0).Read(first)
	want := []byte{0xe6, 0x6, 0x59, 0xf7, 0xee, 0x10, 0xc1, 0xb5, 0x88, 0x20, 0xc7, 0x67, 0x3d, 0x4e, 0xbd, 0x67}
	if !bytes.Equal(first, want) || set.Entries[0].Path == "" {
		t.Errorf("the first bytes are %#v", first)
	}
}

func TestContentDoesNotDependOnHowItIsRead(t *testing.T) {
	set, _ := New("application", 20*unit.MiB, 3)
	whole, pieces := make([]byte, 50_000), make([]byte, 0, 50_000)
	_, _ = set.Content(1).Read(whole)
	content := set.Content(1)
	for i, size := 0, 1; i < len(whole); i, size = i+size, size*3%977+1 {
		piece := make([]byte, min(size, len(whole)-i))
		_, _ = content.Read(piece)
		pieces = append(pieces, piece...)
	}
	if !bytes.Equal(whole, pieces) {
		t.Error("read in pieces it is different")
	}
}

func TestContentIsAsCompressibleAsItSays(t *testing.T) {
	for _, share := range []float64{0, 0.4, 0.7} {
		set := Set{Seed: 1, Entries: []Entry{{Path: "x", Size: unit.MiB, CompressibleShare: share}}}
		var packed bytes.Buffer
		out, _ := flate.NewWriter(&packed, flate.BestSpeed)
		if _, err := io.CopyN(out, set.Content(0), int64(unit.MiB)); err != nil {
			t.Fatal(err)
		}
		_ = out.Close()
		if got := 1 - float64(packed.Len())/float64(unit.MiB); got < share-0.03 || got > share+0.03 {
			t.Errorf("%.0f %% can be compressed away, want %.0f %%", got*100, share*100)
		}
	}
}

func TestSpread(t *testing.T) {
	set := Set{Entries: []Entry{{Path: "a", Size: 1}, {Path: "b/c", Size: 10}, {Path: "b/d/e", Size: 100},
		{Path: "b/f", Size: 1000}, {Path: "g", Size: 100}}}
	want := Spread{Files: 5, Bytes: 1211, Smallest: 1, Quarter: 10, Median: 100, ThreeQuarters: 100, Largest: 1000,
		HalfOfBytesIn: 1000, Folders: 2, Deepest: 2}
	if got := set.Spread(); got != want {
		t.Errorf("the spread is %+v, want %+v", got, want)
	}
	if got := (Set{}).Spread(); got.Files != 0 {
		t.Errorf("an empty set is %+v", got)
	}
	mixed, _ := New("mixed-folder", unit.GiB, 1)
	if spread := mixed.Spread(); spread.Files < 300 || spread.Median > unit.MiB ||
		spread.HalfOfBytesIn < 4*unit.MiB || spread.Deepest < 3 {
		t.Errorf("a mixed folder is %+v", spread)
	}
}

func TestSetsThatCannotBe(t *testing.T) {
	for name, size := range map[string]unit.Bytes{"nonesuch": unit.GiB, "large-file": 100,
		"mixed-folder": 200 * unit.TiB, "small-files": unit.TiB, "application": 90 * unit.TiB} {
		if _, err := New(name, size, 1); err == nil {
			t.Errorf("%s of %s is made", name, size)
		}
	}
}

func TestFromFolder(t *testing.T) {
	root := t.TempDir()
	if _, err := FromFolder(root); err == nil || !strings.Contains(err.Error(), "no file to copy") {
		t.Errorf("an empty folder: %v", err)
	}
	if err := os.MkdirAll(filepath.Join(root, "a", "b"), 0o755); err != nil {
		t.Fatal(err)
	}
	for name, size := range map[string]int{"x": 3, "a/y": 0, "a/b/z": 70} {
		if err := os.WriteFile(filepath.Join(root, name), make([]byte, size), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Symlink("x", filepath.Join(root, "link")); err != nil {
		t.Skip("no symbolic links here")
	}
	set, err := FromFolder(root)
	if err != nil || len(set.Entries) != 3 || set.Bytes() != 73 || len(set.Left) != 1 ||
		!strings.Contains(set.Left[0], "link: a symbolic link") {
		t.Errorf("%+v, %v", set, err)
	}
	if one, err := FromFolder(filepath.Join(root, "x")); err != nil || len(one.Entries) != 1 || one.Bytes() != 3 {
		t.Errorf("a single file: %+v, %v", one, err)
	}
	if _, err := FromFolder(filepath.Join(root, "none")); err == nil {
		t.Error("a folder that is not there has files")
	}
}
