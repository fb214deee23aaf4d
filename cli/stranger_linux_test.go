package cli_test

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
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
			command := d.command("measure", link, "--plan", plan, "--json", "--return-within", "6s",
				"--overwrite", fmt.Sprintf("%s:%d", link, size), "--overwrite-contents")
			command.Stderr = &trigger{when: "pass 1/3", do: func() {
				time.AfterFunc(700*time.Millisecond, func() { below.Fail(syscall.EIO) })
				time.AfterFunc(1200*time.Millisecond, func() {
					if free, err := os.OpenFile(disk, os.O_RDONLY|unix.O_EXCL, 0); err == nil && c.name == "itself" {
						_ = free.Close()
						t.Error("the device is not claimed while it fails")
					}
				})
				time.AfterFunc(2*time.Second, c.after)
				time.AfterFunc(4*time.Second, func() {
					if free, err := os.OpenFile(link, os.O_RDONLY|unix.O_EXCL, 0); err == nil && c.says == "" {
						_ = free.Close()
						t.Error("the device that is back is not claimed")
					}
				})
			}}
			got := d.finish(command)
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
