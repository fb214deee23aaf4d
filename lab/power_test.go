package lab

import (
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"opengauge/lab/night"
	"opengauge/lab/witness"
)

// cuts is how often the power is cut: a few times in the gate, and as often as
// OPENGAUGE_CUTS says at night.
func cuts(t *testing.T) int {
	t.Helper()
	const few = 3
	text := os.Getenv("OPENGAUGE_CUTS")
	if text == "" {
		return few
	}
	count, err := strconv.Atoi(text)
	if err != nil || count < 1 {
		t.Fatalf("OPENGAUGE_CUTS is %q, which is no number of times", text)
	}
	return count
}

// The power of a machine and of its drive is cut while it measures: the drive loses all that
// was in its cache. The logbook that is on it opens, holds up, and has every pass that was
// told. What was written and not flushed is lost, and what was flushed is not, or the cut
// proves nothing.
func TestAPowerCut(t *testing.T) {
	night.Only(t)
	kernel, initramfs := image(t)
	for _, program := range []string{"nbdkit", "mkfs.ext4", "mount"} {
		if _, err := exec.LookPath(program); err != nil {
			t.Skipf("cutting the power needs %s (make tools)", program)
		}
	}
	if os.Geteuid() != 0 {
		t.Skip("looking at what a power cut left needs root")
	}
	disk := filepath.Join(t.TempDir(), "disk")
	if err := errors.Join(os.WriteFile(disk, nil, 0o600), os.Truncate(disk, 256<<20)); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("mkfs.ext4", "-q", "-F", disk).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	program := filepath.Join(t.TempDir(), "opengauge")
	if err := os.WriteFile(program, built(t, t.TempDir(), "opengauge/cmd/opengauge"), 0o700); err != nil {
		t.Fatal(err)
	}
	lost, told := 0, 0
	count := cuts(t)
	for number := range count {
		t.Run(fmt.Sprintf("cut %d", number+1), func(t *testing.T) {
			passes := cut(t, kernel, initramfs, disk, number)
			gone := afterCut(t, program, disk, number, told+passes)
			told = gone.passes
			if gone.loose {
				lost++
			}
		})
	}
	if lost == 0 {
		t.Errorf("in %d cuts nothing was lost that was not flushed: they prove nothing", count)
	}
	t.Logf("%d cuts: %d passes are kept, and what was not flushed was lost %d times", count, told, lost)
}

// cut lets the machine measure on the disk and cuts the power, and gives how many passes it had
// told of by then.
func cut(t *testing.T, kernel, initramfs, disk string, number int) (told int) {
	folder := t.TempDir()
	socket := filepath.Join("/tmp", fmt.Sprintf("opengauge-power-%d-%d", os.Getpid(), number))
	defer os.Remove(socket)
	drive := exec.Command("nbdkit", "--foreground", "--exit-with-parent", "--unix", socket, "--filter=cache", "file", disk,
		"cache=writeback")
	drive.Env = append(os.Environ(), "TMPDIR="+folder)
	witness.Tie(drive)
	if err := drive.Start(); err != nil {
		t.Skip("the drive cannot be served: ", err)
	}
	defer func() { _ = drive.Process.Kill(); _ = drive.Wait() }()
	for range 100 {
		if c, err := net.Dial("unix", socket); err == nil {
			_ = c.Close()
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	m := bootWith(t, kernel, initramfs, []string{
		"-blockdev", "driver=nbd,node-name=power,server.type=unix,server.path=" + socket,
		"-device", "virtio-blk-pci,drive=power,write-cache=on",
	})
	mark := fmt.Sprintf("cut %d", number)
	_ = m.ask(map[string]any{
		"mount":  []map[string]string{{"device": "/dev/vda", "place": "/disk"}},
		"stable": map[string]string{"/disk/stable": strings.Repeat(mark+" is flushed\n", 1000)},
		"loose":  map[string]string{fmt.Sprintf("/disk/loose-%d", number): strings.Repeat(mark+" is not\n", 1000)},
		"write": map[string]string{"/tmp/short.yaml": "plan: short\nsteps:\n  - sweep: {operation: [read, write], access: " +
			"random, block: [4KiB, 8KiB, 16KiB, 64KiB], depth: 2, hold: 300ms}\n"},
		"run": []string{"measure", "/disk", "--size", "4MiB", "--plan", "/tmp/short.yaml", "--logbook",
			"/disk/book/logbook.db", "--name", fmt.Sprintf("cut-%d", number)},
		"stream": true,
	})
	const longest = 9 * time.Second // the run takes about as long
	off := func() {
		_ = m.emulator.Process.Kill() // both at once
		_ = drive.Process.Kill()
	}
	for {
		line, err := m.heard(3 * time.Minute)
		if err != nil {
			return told // it is off
		}
		var heard struct{ Said string }
		if json.Unmarshal([]byte(line), &heard) == nil && heard.Said != "" {
			if heard.Said == "ready to run" {
				defer time.AfterFunc(rand.N(longest), off).Stop()
			}
			if strings.HasPrefix(heard.Said, "pass ") && strings.Contains(heard.Said, ": ") {
				told++
			}
			continue
		}
		if got := m.outcome(line); got.Code != 0 {
			t.Errorf("measuring before the cut: exit %d: %s", got.Code, got.Stderr)
		}
	}
}

// left is what a cut left.
type left struct {
	passes int
	loose  bool // what was not flushed is lost
}

// afterCut looks at the disk as another machine does, to which it was carried.
func afterCut(t *testing.T, program, disk string, number, told int) left {
	t.Helper()
	folder := t.TempDir()
	if out, err := exec.Command("mount", "-o", "loop", disk, folder).CombinedOutput(); err != nil {
		t.Fatalf("the disk cannot be mounted any more: %v: %s", err, out)
	}
	defer func() {
		if out, err := exec.Command("umount", folder).CombinedOutput(); err != nil {
			t.Errorf("%v: %s", err, out)
		}
	}()
	flushed, err := os.ReadFile(filepath.Join(folder, "stable"))
	if want := strings.Repeat(fmt.Sprintf("cut %d is flushed\n", number), 1000); err != nil || string(flushed) != want {
		t.Errorf("what was flushed is lost: %d of %d bytes, %v", len(flushed), len(want), err)
	}
	loose, err := os.ReadFile(filepath.Join(folder, fmt.Sprintf("loose-%d", number)))
	found := left{loose: err != nil || len(loose) < 1000 || strings.Contains(string(loose), "\x00")}
	logbook := filepath.Join(folder, "book", "logbook.db")
	if _, err := os.Stat(logbook); err != nil {
		if told > 0 {
			t.Errorf("%d passes were told, and there is no logbook: %v", told, err)
		}
		return found
	}
	run := func(arguments ...string) string {
		out, err := exec.Command(program, append(arguments, "--logbook", logbook)...).CombinedOutput()
		if err != nil {
			t.Errorf("%v: %v: %s", arguments, err, out)
		}
		return string(out)
	}
	run("logbook", "check")
	list, err := exec.Command(program, "logbook", "list", "--json", "--limit", "0", "--logbook", logbook).Output()
	var kept struct{ Sessions []struct{ Passes int } }
	if err := errors.Join(err, json.Unmarshal(list, &kept)); err != nil {
		t.Fatal(err)
	}
	for _, each := range kept.Sessions {
		found.passes += each.Passes
	}
	if found.passes < told {
		t.Errorf("%d passes were told, and %d are there", told, found.passes)
	}
	return found
}
