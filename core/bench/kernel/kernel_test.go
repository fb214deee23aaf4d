package kernel

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"testing"
)

func treeOf(t *testing.T, files, links map[string]string) Tree {
	t.Helper()
	folder := t.TempDir()
	for name, text := range files {
		full := filepath.Join(folder, name)
		if err := os.MkdirAll(filepath.Dir(full), 0o700); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(full, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for name, target := range links {
		if err := os.Symlink(target, filepath.Join(folder, name)); err != nil {
			t.Skip("no symbolic links here: ", err)
		}
	}
	return Under(folder)
}

func TestLinksStayInTheTree(t *testing.T) {
	outside := filepath.Join(t.TempDir(), "secret")
	if err := os.WriteFile(outside, []byte("secret"), 0o600); err != nil {
		t.Fatal(err)
	}
	tree := treeOf(t, map[string]string{"sys/devices/disk/speed": "5000\n", "sys/other": "x"}, map[string]string{
		"sys/block": "devices/disk", "absolute": "/sys/devices/disk", "away": outside, "up": "../../../../etc/hostname",
		"round": "round",
	})
	for name, want := range map[string]string{
		"sys/block/speed": "5000", "absolute/speed": "5000", "away": "", "up": "", "round": "", "sys/none": "",
	} {
		if got := tree.Text(name); got != want {
			t.Errorf("%s reads as %q, want %q", name, got, want)
		}
	}
	if driver := tree.LinkName("sys/block"); driver != "disk" {
		t.Errorf("the link leads to %q", driver)
	}
	if speed, ok := tree.Number("sys/block/speed"); !ok || speed != 5000 {
		t.Errorf("the number is %v, %v", speed, ok)
	}
}

// What is not a number is unknown, NaN and infinities too.
func TestNumbersThatAreNone(t *testing.T) {
	for _, text := range []string{"", "NaN", "inf", "-Inf", "fast", "1e999"} {
		if value, ok := treeOf(t, map[string]string{"n": text}, nil).Number("n"); ok {
			t.Errorf("%q is taken for the number %v", text, value)
		}
	}
}

// "May not be read" is another thing than "is not there".
func TestWhyAFileIsNotRead(t *testing.T) {
	tree := treeOf(t, map[string]string{"closed": "x"}, nil)
	if _, err := tree.Read("none"); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("a file that is not there gives %v", err)
	}
	refused := Of(refusing{})
	if _, err := refused.Read("any"); !errors.Is(err, fs.ErrPermission) || errors.Is(err, fs.ErrNotExist) {
		t.Errorf("a file that may not be read gives %v", err)
	}
}

// refusing are files that nobody may read.
type refusing struct{}

func (refusing) Read(string) ([]byte, error)   { return nil, fs.ErrPermission }
func (refusing) Target(string) (string, error) { return "", fs.ErrInvalid }
func (refusing) List(string) ([]string, error) { return nil, fs.ErrPermission }

func TestMounts(t *testing.T) {
	tree := treeOf(t, map[string]string{"proc/self/mountinfo": "36 35 8:17 / /media/my\\040stick rw,noatime " +
		"shared:1 - ext4 " +
		"/dev/sdb1 rw,errors=remount-ro\n" + `37 35 0:40 / /run rw master:2 propagate_from:1 - tmpfs tmpfs rw
a line that is none
`}, nil)
	mounts, err := tree.Mounts()
	if err != nil || len(mounts) != 2 {
		t.Fatalf("mounts are %+v, %v", mounts, err)
	}
	want := Mount{At: "/media/my stick", FileSystem: "ext4", Source: "/dev/sdb1", Number: "8:17",
		Options: "rw,noatime,rw,errors=remount-ro"}
	if mounts[0] != want || mounts[1].FileSystem != "tmpfs" {
		t.Errorf("mounts are %+v", mounts)
	}
	if _, err := treeOf(t, nil, nil).Mounts(); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("no table of mounts gives %v", err)
	}
}
