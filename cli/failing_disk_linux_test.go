package cli_test

import (
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// The disk under the logbook begins to fail: a measurement is kept all the same, elsewhere, and what happened is
// told in words.
func TestADiskThatFailsUnderTheLogbook(t *testing.T) {
	t.Parallel()
	disk, below := failingDisk(t, 32*unit.MiB)
	d := newDesk(t)
	d.logbook = filepath.Join(witness.MountExt4(t, disk, "noatime"), "logbook.db")
	d.must("measure", "sim:dunlin", "--hold", "1s", "--name", "before")
	below.Fail(syscall.EIO)
	got := d.run("measure", "sim:dunlin", "--hold", "1s", "--name", "during")
	said := words(got.stderr)
	if got.code != 0 || !strings.Contains(said, "waits") || strings.Contains(said, "panic") {
		t.Errorf("exit %d: %s", got.code, got.stderr)
	}
	below.Fail(0)
	if strings.Contains(said, "it waits in ") {
		_, behind, _ := strings.Cut(said, "it waits in ")
		place, _, _ := strings.Cut(behind, ",")
		if strings.HasPrefix(place, filepath.Dir(d.logbook)) {
			t.Errorf("it waits on the disk that failed: %s", place)
		}
		for _, each := range must1(filepath.Glob(place + "*"))(t) {
			t.Cleanup(func() { _ = syscall.Unlink(each) })
		}
	}
	t.Log(said)
}
