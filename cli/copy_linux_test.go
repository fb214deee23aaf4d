package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// mountedLoop is a file system in memory, on a device of its own, and where it is.
func mountedLoop(t *testing.T, size int64) (device, folder string) {
	t.Helper()
	device = loopDevice(t, size)
	makeFileSystem(t, device)
	folder = filepath.Join(t.TempDir(), "mounted")
	if err := os.Mkdir(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("mount", device, folder).CombinedOutput(); err != nil {
		t.Skipf("nothing can be mounted here: %s", out)
	}
	t.Cleanup(func() { _ = exec.Command("umount", "--lazy", folder).Run() })
	return device, folder
}

func TestACopyThatDoesNotFit(t *testing.T) {
	t.Parallel()
	_, small := mountedLoop(t, 64<<20)
	d := newProgramDesk(t)
	got := d.run("copy", t.TempDir(), small, "--set", "large-file", "--size", "60MiB")
	if got.code != 1 {
		t.Errorf("exit %d: %s", got.code, got.stderr)
	}
	wants(t, "no room", got.stderr, "would be needed", "choose a smaller --size")
	if left, err := os.ReadDir(small); err != nil || len(left) != 1 {
		t.Errorf("left behind: %v, %v", left, err)
	}
}
