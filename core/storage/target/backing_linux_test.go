package target

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"golang.org/x/sys/unix"

	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// overwriting tries to open a device to be overwritten, contents and all.
func overwriting(device string, size unit.Bytes) error {
	opened, err := OpenPath(device, PathOptions{Overwrite: fmt.Sprintf("%s:%d", device, size), OverwriteContents: true})
	if err == nil {
		err = opened.Close()
	}
	return err
}

// Two devices over one image are the same bytes: while one is mounted the other is not written, whichever it is.
func TestDevicesOverOneImage(t *testing.T) {
	image := filepath.Join(t.TempDir(), "image")
	if err := os.WriteFile(image, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	one := witness.LoopOver(t, image, deviceSize)
	two := witness.LoopOnto(t, image)
	linked := filepath.Join(t.TempDir(), "linked")
	if err := os.Link(image, linked); err != nil {
		t.Fatal(err)
	}
	three := witness.LoopOnto(t, linked) // the same file by another name
	if err := overwriting(one, deviceSize); err != nil {
		t.Errorf("while nobody uses the others: %v", err)
	}
	folder := witness.MountExt4(t, two, "noatime")
	for _, device := range []string{one, two, three} {
		if err := overwriting(device, deviceSize); err == nil || !strings.Contains(err.Error(), "is mounted at "+folder) {
			t.Errorf("%s is overwritten while %s is mounted: %v", device, two, err)
		}
	}
	if err := unix.Unmount(folder, 0); err != nil {
		t.Fatal(err)
	}
	held, err := os.OpenFile(two, os.O_RDONLY|os.O_EXCL, 0)
	if err != nil {
		t.Fatal(err)
	}
	if err := overwriting(one, deviceSize); err == nil ||
		!strings.Contains(err.Error(), filepath.Base(two)+" stands on it") {
		t.Errorf("while another program has %s: %v", two, err)
	}
	if err := held.Close(); err != nil {
		t.Fatal(err)
	}
	if err := overwriting(one, deviceSize); err != nil {
		t.Errorf("after that: %v", err)
	}
}

// Devices over different parts of an image have nothing to do with each other, and those that share a part have.
func TestDevicesOverPartsOfAnImage(t *testing.T) {
	image := filepath.Join(t.TempDir(), "image")
	if err := os.WriteFile(image, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	whole := witness.LoopOver(t, image, 3*deviceSize)
	part := func(from, size unit.Bytes) string {
		return witness.LoopOnto(t, image, "--offset", fmt.Sprint(int64(from)), "--sizelimit", fmt.Sprint(int64(size)))
	}
	first, second, across := part(0, deviceSize), part(deviceSize, deviceSize), part(deviceSize/2, deviceSize)
	folder := witness.MountExt4(t, first, "noatime")
	for device, size := range map[string]unit.Bytes{whole: 3 * deviceSize, across: deviceSize} {
		if err := overwriting(device, size); err == nil || !strings.Contains(err.Error(), "is mounted at "+folder) {
			t.Errorf("%s, which shares bytes with what is mounted, is overwritten: %v", device, err)
		}
	}
	if err := overwriting(second, deviceSize); err != nil {
		t.Errorf("%s shares no byte with what is mounted: %v", second, err)
	}
	// A loop over a device is that device too: the one below is mounted.
	above := witness.LoopOnto(t, first)
	if err := overwriting(above, deviceSize); err == nil || !strings.Contains(err.Error(), "is mounted at "+folder) {
		t.Errorf("a loop over a device that is mounted is overwritten: %v", err)
	}
}

// What nobody knows the form of may be missed: it is not overwritten unless that is asked for. What a run wrote
// itself is not.
func TestUnknownContents(t *testing.T) {
	for name, c := range map[string]struct {
		at    int64
		data  []byte
		holds bool
	}{
		"nothing":                 {0, nil, false},
		"erased flash":            {0, bytes.Repeat([]byte{0xff}, int(deviceSize)), false},
		"a text at the beginning": {0, []byte("notes of a year"), true},
		"a text at the end":       {int64(deviceSize) - 20, []byte("notes of a year"), true},
		"records in the middle":   {0, append(make([]byte, 3<<20), bytes.Repeat([]byte("tide,ebb\n"), 100_000)...), true},
		"the label of a run":      {0, append([]byte(label), bytes.Repeat([]byte{7}, 1<<20)...), false},
		"something before it":     {0, append([]byte("x"+label), bytes.Repeat([]byte{7}, 1<<20)...), true},
		"erased, and a byte":      {0, append(bytes.Repeat([]byte{0xff}, int(deviceSize)-1), 7), true},
	} {
		image := filepath.Join(t.TempDir(), "image")
		whole := make([]byte, deviceSize)
		copy(whole[c.at:], c.data)
		if err := os.WriteFile(image, whole, 0o600); err != nil {
			t.Fatal(err)
		}
		file, err := os.Open(image)
		if err != nil {
			t.Fatal(err)
		}
		held, err := contents(file, deviceSize)
		if err != nil || (held != "") != c.holds {
			t.Errorf("%s: it holds %q, %v", name, held, err)
		}
		_ = file.Close()
	}
	device := witness.Loop(t, deviceSize)
	options := PathOptions{Overwrite: fmt.Sprintf("%s:%d", device, deviceSize)}
	for range 2 { // what the first run leaves, the second one writes over
		opened, err := OpenPath(device, options)
		if err != nil {
			t.Fatalf("a device that a run wrote to: %v", err)
		}
		queue, err := opened.Open(Shape{Slots: 1, Block: 64 * unit.KiB})
		if err != nil {
			t.Fatal(err)
		}
		for i := range 64 {
			copy(queue.Buffer(0), bytes.Repeat([]byte{byte(i + 1)}, 64<<10))
			if err := writeOne(queue, opened, int64(i)*64<<10); err != nil {
				t.Fatal(err)
			}
		}
		if err := errors.Join(queue.Close(), opened.Close()); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.WriteFile(device, []byte("notes of a year"), 0); err != nil {
		t.Fatal(err)
	}
	if _, err := OpenPath(device, options); err == nil || !strings.Contains(err.Error(), unknownData) ||
		!strings.Contains(err.Error(), "--overwrite-contents") {
		t.Errorf("after somebody wrote to it: %v", err)
	}
}

func writeOne(queue Queue, on Target, offset int64) error {
	if err := queue.Submit([]Operation{{Action: Write, Offset: offset, Length: 64 << 10}}); err != nil {
		return err
	}
	var done [1]Completion
	if _, err := queue.Wait(done[:], on.Now()+1e10); err != nil {
		return err
	}
	return done[0].Err
}

// A device that was opened and not written keeps what it holds, to the byte.
func TestADeviceThatIsOnlyReadKeepsItsContents(t *testing.T) {
	device := witness.Loop(t, deviceSize)
	if err := os.WriteFile(device, bytes.Repeat([]byte("tide"), 1<<18), 0); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("sync", device).CombinedOutput(); err != nil {
		t.Fatal(string(out))
	}
	before, err := os.ReadFile(device)
	if err != nil {
		t.Fatal(err)
	}
	if err := overwriting(device, deviceSize); err != nil {
		t.Fatal(err)
	}
	if after, err := os.ReadFile(device); err != nil || !bytes.Equal(before, after) {
		t.Errorf("it holds something else now (%v)", err)
	}
}

// A place for a drive where none is mounted is not measured: it is the system's disk.
func TestAPlaceWhereNothingIsMounted(t *testing.T) {
	for name, c := range map[string]struct {
		table, at string
		listed    bool
	}{
		"listed":         {"UUID=1 /srv/drive ext4 defaults 0 2\n", "/srv/drive", true},
		"with a space":   {"UUID=1 /srv/my\\040drive ext4 defaults 0 2\n", "/srv/my drive", true},
		"in a comment":   {"# UUID=1 /srv/drive ext4 defaults 0 2\n", "/srv/drive", false},
		"another one":    {"UUID=1 /srv/drive2 ext4 defaults 0 2\n", "/srv/drive", false},
		"a broken table": {"UUID=1\n\n", "/srv/drive", false},
	} {
		if got := isListed(c.table, c.at); got != c.listed {
			t.Errorf("%s: %v", name, got)
		}
	}
	if err := CheckMounted(t.TempDir()); err != nil {
		t.Errorf("a folder for tests: %v", err)
	}
	if err := CheckMounted("/"); err != nil {
		t.Error(err)
	}
	place, err := os.MkdirTemp("/mnt", "opengauge-place-")
	if err != nil {
		t.Skip("no folder can be made in /mnt: ", err)
	}
	defer os.RemoveAll(place)
	if _, err := OpenPath(place, PathOptions{}); err == nil ||
		!strings.Contains(err.Error(), "nothing is mounted at "+place) {
		t.Errorf("an empty folder in /mnt: %v", err)
	}
	if err := CheckMounted(filepath.Join(place, "none")); err != nil {
		t.Errorf("a folder that is not there: %v", err)
	}
	device := witness.Loop(t, deviceSize)
	folder := witness.MountExt4(t, device, "noatime")
	if err := unix.Mount(folder, place, "", unix.MS_BIND, ""); err != nil {
		t.Skip("nothing can be mounted here: ", err)
	}
	defer func() { _ = unix.Unmount(place, unix.MNT_DETACH) }()
	if err := CheckMounted(place); err != nil {
		t.Errorf("where a drive is mounted: %v", err)
	}
	if err := os.WriteFile(filepath.Join(place, "file"), nil, 0o600); err != nil {
		t.Fatal(err)
	}
}
