package cli_test

import (
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"opengauge/core/record/session"
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

// Between two file systems that the kernel holds to known rates, a copy takes as
// long as the slower one allows, and that end is named.
func TestACopyBetweenThrottledEnds(t *testing.T) {
	t.Parallel() // it mostly waits
	const size, slow, fast = 200 << 20, 25 << 20, 40 << 20
	one, from := mountedLoop(t, 700<<20)
	other, to := mountedLoop(t, 700<<20)
	for end, rates := range map[string]map[string]int64{"source": {one: slow, other: fast},
		"destination": {one: fast, other: slow}} {
		inside := throttledAll(t, rates)
		onQuietMachine(t, func() (faults []string) {
			d := newDesk(t)
			got := d.finish(inside(d.command("copy", from, to, "--set", "large-file", "--size", fmt.Sprint(size),
				"--json")))
			if got.code != 0 {
				t.Fatalf("exit %d: %s", got.code, got.stderr)
			}
			s := decode[session.Session](t, got.stdout)
			for _, c := range s.Copies {
				if off := c.ElapsedSeconds/(float64(size)/slow) - 1; c.Work == session.CopyWhole &&
					!(math.Abs(off) <= 0.03) {
					faults = append(faults, fmt.Sprintf("the slower %s allows %.2f s, the copy took %.2f s", end,
						float64(size)/slow, c.ElapsedSeconds))
				}
			}
			if len(s.Findings) == 0 || s.Findings[0].Kind != "endpoint-bound" ||
				s.Findings[0].Evidence.Fact("end") != end {
				t.Errorf("the slower %s: found %+v", end, s.Findings)
			}
			return faults
		})
		if left, err := os.ReadDir(to); err != nil || len(left) != 1 { // lost+found
			t.Errorf("left behind: %v, %v", left, err)
		}
	}
}

func TestACopyThatDoesNotFit(t *testing.T) {
	_, small := mountedLoop(t, 64<<20)
	d := newDesk(t)
	got := d.run("copy", t.TempDir(), small, "--set", "large-file", "--size", "60MiB")
	if got.code != 1 {
		t.Errorf("exit %d: %s", got.code, got.stderr)
	}
	wants(t, "no room", got.stderr, "would be needed", "choose a smaller --size")
	if left, err := os.ReadDir(small); err != nil || len(left) != 1 {
		t.Errorf("left behind: %v, %v", left, err)
	}
}
