package transfer

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"opengauge/core/load/fileset"
	"opengauge/core/unit"
)

func TestALaidOutSetArrives(t *testing.T) {
	set, err := fileset.New("mixed-folder", 8*unit.MiB, 3)
	if err != nil {
		t.Fatal(err)
	}
	home := t.TempDir()
	told := unit.Bytes(0)
	folder, err := LayOut(context.Background(), home, set, func(done unit.Bytes) { told = done })
	if err != nil || told != set.Bytes() {
		t.Fatalf("%s, %v, told of %s", folder, err, told)
	}
	_, err = LayOut(context.Background(), home, set, nil)
	if err == nil || !strings.Contains(err.Error(), "is there already") {
		t.Errorf("over a set that is there another is laid: %v", err)
	}
	for _, where := range []string{home, folder} {
		a, err := CheckLaidOut(context.Background(), where, set, nil)
		if err != nil || !a.OK() || a.Whole != len(set.Entries) {
			t.Errorf("%s: %+v, %v", where, a, err)
		}
	}
	other, _ := fileset.New("mixed-folder", 8*unit.MiB, 4)
	if a, err := CheckLaidOut(context.Background(), folder, other, nil); err != nil || a.OK() {
		t.Errorf("a set of another seed is whole: %+v, %v", a, err)
	}
	spoiled := spoil(t, folder, set)
	a, err := CheckLaidOut(context.Background(), folder, set, nil)
	if err != nil || a.OK() || a.Whole != len(set.Entries)-4 {
		t.Fatalf("%+v, %v", a, err)
	}
	slices.Sort(a.Differing)
	want := []string{spoiled[0], spoiled[3]}
	slices.Sort(want)
	if !slices.Equal(a.Differing, want) || !slices.Equal(a.Missing, spoiled[1:2]) ||
		!slices.Equal(a.Shorter, spoiled[2:3]) || !slices.Equal(a.Strange, []string{"left.db"}) {
		t.Errorf("of %v it finds %+v", spoiled, a)
	}
	if _, err := CheckLaidOut(context.Background(), filepath.Join(home, "none"), set, nil); err == nil {
		t.Error("a folder that is not there is looked into")
	}
}

// spoil changes one bit of a file, removes one, adds a byte to one, and puts a link in the
// place of one; and leaves a file besides.
func spoil(t *testing.T, folder string, set fileset.Set) []string {
	t.Helper()
	var chosen []string
	for _, entry := range set.Entries {
		if entry.Size > 100 && len(chosen) < 4 {
			chosen = append(chosen, entry.Path)
		}
	}
	at := func(i int) string { return filepath.Join(folder, filepath.FromSlash(chosen[i])) }
	content, err := os.ReadFile(at(0))
	if err != nil {
		t.Fatal(err)
	}
	content[len(content)-1] ^= 1
	longer, err := os.ReadFile(at(2))
	if err != nil {
		t.Fatal(err)
	}
	for _, err := range []error{
		os.WriteFile(at(0), content, 0o600), os.Remove(at(1)), os.WriteFile(at(2), append(longer, 0), 0o600),
		os.Rename(at(3), filepath.Join(t.TempDir(), "elsewhere")), os.Symlink("/dev/zero", at(3)),
		os.WriteFile(filepath.Join(folder, "left.db"), nil, 0o600),
	} {
		if err != nil {
			t.Fatal(err)
		}
	}
	return chosen
}

// What is not finished is not left behind.
func TestLayingOutIsGivenUp(t *testing.T) {
	set, err := fileset.New("small-files", 4*unit.MiB, 1)
	if err != nil {
		t.Fatal(err)
	}
	home := t.TempDir()
	ctx, cancel := context.WithCancel(context.Background())
	_, err = LayOut(ctx, home, set, func(done unit.Bytes) {
		if done > unit.MiB {
			cancel()
		}
	})
	if left, _ := os.ReadDir(home); err == nil || len(left) != 0 {
		t.Errorf("%v, and %v are left", err, left)
	}
	if _, err := LayOut(context.Background(), filepath.Join(home, "none"), set, nil); err == nil {
		t.Error("a set is laid out in a folder that is not there")
	}
}
