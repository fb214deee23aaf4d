package cli_test

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"golang.org/x/sys/unix"

	"opengauge/core/bench/event"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// failingDisk is a block device that begins to fail when it is told to.
func failingDisk(t *testing.T, size unit.Bytes) (device string, below *witness.Slow) {
	t.Helper()
	below = witness.Mount(t, 0)
	image := filepath.Join(below.Folder, "disk")
	if err := os.WriteFile(image, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	return witness.LoopOver(t, image, size), below
}

// After a drop-out the path of the device leads to another one, which holds somebody's
// files: it is not written, and the run ends. One that comes back itself goes on.
func TestAnotherDeviceBehindThePath(t *testing.T) {
	t.Parallel()
	const size = 32 * unit.MiB
	disk, below := failingDisk(t, size)
	bystander := witness.Loop(t, size)
	makeFileSystem(t, bystander)
	contents := must1(os.ReadFile(bystander))(t)
	link := filepath.Join(t.TempDir(), "by-path")
	plan := planFile(t, "{operation: write, access: random, block: [4KiB, 8KiB, 16KiB], depth: 4, hold: 2s}")
	relink := func(to string) {
		_ = os.Remove(link)
		if err := os.Symlink(to, link); err != nil {
			t.Error(err)
		}
	}
	elsewhere := func() {
		image := filepath.Join(t.TempDir(), "image")
		if err := os.WriteFile(image, below.Contents(), 0o600); err != nil {
			t.Error(err)
		}
		relink(witness.LoopOver(t, image, size))
	}
	for _, c := range []struct {
		name  string
		after func()
		state session.State
		says  string
	}{
		{"another", func() { relink(bystander) }, session.Failed, "hold something else"},
		{"itself", func() { below.Fail(0) }, session.Complete, ""},
		{"itself under another number", elsewhere, session.Complete, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			below.Fail(0)
			relink(disk)
			d := newProgramDesk(t)
			command := d.command("measure", link, "--plan", plan, "--json", "--return-within", "1m",
				"--overwrite", fmt.Sprintf("%s:%d", link, size), "--overwrite-contents")
			ended := make(chan struct{})
			var swapping sync.WaitGroup
			command.Stderr = &trigger{when: "pass 1/3", do: func() {
				swapping.Go(func() {
					waitForWrites(disk, ended)
					below.Fail(syscall.EIO)
					_, _ = below.Peak() // from here on they are counted
					waitForFailures(below, ended)
					if isFree(disk) && c.name == "itself" {
						t.Error("the device is not claimed while it fails")
					}
					c.after()
					if c.says != "" {
						return
					}
					waitForWrites(link, ended)
					if !isFree(link) {
						return
					}
					select {
					case <-ended:
					case <-time.After(time.Second):
						t.Error("the device that is back is not claimed")
					}
				})
			}}
			got := d.finish(command)
			close(ended)
			swapping.Wait()
			s := decode[session.Session](t, got.stdout)
			if s.State != c.state || len(eventsOf(s, event.Dropout)) != 1 {
				t.Fatalf("exit %d, state %s, events %+v: %s", got.code, s.State, s.Events, got.stderr)
			}
			if strangers := eventsOf(s, event.Stranger); c.says != "" &&
				(len(strangers) != 1 || !strings.Contains(strangers[0].Detail, c.says) || got.code != 1 ||
					!strings.Contains(got.stderr, c.says)) {
				t.Errorf("exit %d, strangers %+v: %s", got.code, strangers, got.stderr)
			}
			if c.says == "" && len(eventsOf(s, event.Return)) != 1 {
				t.Errorf("events %+v", s.Events)
			}
			if !bytes.Equal(must1(os.ReadFile(bystander))(t), contents) {
				t.Error("the bystander was written")
			}
		})
	}
}

// isFree reports whether nobody has claimed a device (open(2), O_EXCL).
func isFree(device string) bool {
	file, err := os.OpenFile(device, os.O_RDONLY|unix.O_EXCL, 0)
	if err == nil {
		_ = file.Close()
	}
	return err == nil
}

// waitForFailures waits until more operations failed than a run puts up with, or until the end. What looks
// whether the device is back fails too.
func waitForFailures(below *witness.Slow, ended <-chan struct{}) {
	const enough = 250
	for seen := 0; seen < enough; {
		select {
		case <-ended:
			return
		case <-time.After(50 * time.Millisecond):
		}
		_, operations := below.Peak()
		seen += operations
	}
}

// waitForWrites waits until the kernel counts more writes of a device than now, or until the end.
func waitForWrites(device string, ended <-chan struct{}) {
	writes := func() int {
		path, _ := filepath.EvalSymlinks(device)
		text, _ := os.ReadFile(filepath.Join("/sys/class/block", filepath.Base(path), "stat"))
		const completed = 4 // writes completed (Documentation/block/stat.rst)
		if fields := strings.Fields(string(text)); len(fields) > completed {
			count, _ := strconv.Atoi(fields[completed])
			return count
		}
		return 0
	}
	const more = 20
	for before := writes(); writes() < before+more; {
		select {
		case <-ended:
			return
		case <-time.After(20 * time.Millisecond):
		}
	}
}
