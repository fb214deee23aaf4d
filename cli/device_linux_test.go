package cli_test

import (
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"golang.org/x/sys/unix"

	"opengauge/core/bench/event"
	"opengauge/core/bench/survey"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// loopDevice makes a block device of a file in memory.
func loopDevice(t *testing.T, size int64) string {
	t.Helper()
	image := filepath.Join(steadyFolder(t), "image")
	if err := os.WriteFile(image, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	return witness.LoopOver(t, image, unit.Bytes(size))
}

func TestDevicesAreOnlyReadUnlessNamed(t *testing.T) {
	t.Parallel()
	const size = 64 << 20
	device := loopDevice(t, size)
	d := newProgramDesk(t)
	named := fmt.Sprintf("%s:%d", device, size)
	refused := func(code int, want string, arguments ...string) {
		t.Helper()
		before, _ := os.ReadFile(device)
		got := d.run(append([]string{"measure", device, "--hold", "20ms"}, arguments...)...)
		if got.code != code || !strings.Contains(got.stderr, want) {
			t.Errorf("exit %d, want %d; %q, want %q in it", got.code, code, got.stderr, want)
		}
		if after, _ := os.ReadFile(device); string(after) != string(before) {
			t.Error("the device was written")
		}
	}
	refused(2, "only read unless --overwrite names it")
	refused(1, "its path and size, as it has no serial number, "+named, "--overwrite", "yes")
	if s := decode[session.Session](t, d.must("measure", device, "--plan", "quick-read", "--hold", "20ms",
		"--json")); s.Target.Kind != "device" || s.Target.SpanBytes != size {
		t.Errorf("target is %+v", s.Target)
	}
	d.must("measure", device, "--hold", "20ms", "--overwrite", named)

	makeFileSystem(t, device)
	refused(1, "it holds an ext file system", "--overwrite", named)
	folder := t.TempDir() // read-only, so that the file system itself writes nothing
	if out, err := exec.Command("mount", "-o", "ro", device, folder).CombinedOutput(); err != nil {
		t.Skipf("mounting is not possible here: %s", out)
	}
	defer func() { _ = exec.Command("umount", folder).Run() }()
	refused(1, "is mounted at "+folder, "--overwrite", named, "--overwrite-contents")
	if err := exec.Command("umount", folder).Run(); err != nil {
		t.Fatal(err)
	}
	d.must("measure", device, "--hold", "20ms", "--overwrite", named, "--overwrite-contents")
}

// makeFileSystem puts an ext4 file system on a device. A ring that was closed
// lets go of the device a moment after its program has ended.
func makeFileSystem(t *testing.T, device string) {
	t.Helper()
	var out []byte
	var err error
	for range 30 {
		if out, err = exec.Command("mkfs.ext4", "-q", "-F", device).CombinedOutput(); err == nil {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Skipf("no file system can be made here: %s", out)
}

// A folder on a file system on a loop device on a file: the chain goes down to
// the disk that the file is on.
func TestTheChainGoesDownToTheDisk(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	image := filepath.Join(folder, "image")
	if err := os.WriteFile(image, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	device := witness.LoopOver(t, image, 64<<20)
	makeFileSystem(t, device)
	place := t.TempDir()
	if out, err := exec.Command("mount", device, place).CombinedOutput(); err != nil {
		t.Skipf("mounting is not possible here: %s", out)
	}
	defer func() { _ = exec.Command("umount", place).Run() }()
	disk, _, known := survey.Here().DeviceOf(folder)
	if !known {
		t.Skip("the folder for temporary files is on no block device that this system tells of")
	}
	s := decode[session.Session](t, newProgramDesk(t).must("measure", place, "--plan", "quick-read", "--hold", "50ms",
		"--size", "4MiB", "--json"))
	last := len(s.Chain.Hops) - 1
	if last < len(disk.Hops) || s.Chain.Hops[last].Standard != "loop over "+image ||
		s.Chain.Hops[last-1].Name != disk.Hops[len(disk.Hops)-1].Name {
		t.Errorf("the chain is %+v, that of the disk %+v", s.Chain.Hops, disk.Hops)
	}
	if s.Environment.Device != filepath.Base(device) || !strings.Contains(s.Environment.MountOptions, "rw") {
		t.Errorf("the environment is %+v", s.Environment)
	}
}

// A folder is filled with files to a level, measured there, and freed again, also
// when the run is stopped half-way.
func TestFillingAFolder(t *testing.T) {
	t.Parallel()
	device := loopDevice(t, 256<<20)
	makeFileSystem(t, device)
	folder := t.TempDir()
	if out, err := exec.Command("mount", device, folder).CombinedOutput(); err != nil {
		t.Skipf("mounting is not possible here: %s", out)
	}
	defer func() { _ = exec.Command("umount", folder).Run() }()
	_ = os.Remove(filepath.Join(folder, "lost+found"))
	plan := filepath.Join(t.TempDir(), "fill.yaml")
	source := "plan: fill\nsteps:\n  - fill:\n      levels: [30%, 50%]\n      steps:\n        - sweep: {operation: " +
		"[read, write], access: sequential, block: 64KiB, depth: 4, hold: HOLD}\n"
	write := func(hold string) {
		if err := os.WriteFile(plan, []byte(strings.ReplaceAll(source, "HOLD", hold)), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write("700ms")
	d := newProgramDesk(t)
	most := 0.0
	watching, measured := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(watching)
		for {
			select {
			case <-measured:
				return
			default:
			}
			var status unix.Statfs_t
			if unix.Statfs(folder, &status) == nil {
				most = max(most, 1-float64(status.Bavail)/float64(status.Blocks))
			}
			time.Sleep(50 * time.Millisecond)
		}
	}()
	s := decode[session.Session](t, d.must("measure", folder, "--plan", plan, "--size", "8MiB", "--json"))
	close(measured)
	<-watching
	if len(s.Passes) != 4 || s.Passes[0].FillShare != 0.3 || s.Passes[3].FillShare != 0.5 || most < 0.48 ||
		most > 0.62 {
		t.Errorf("%d passes; the file system was filled to %.0f %%", len(s.Passes), most*100)
	}
	assertEmpty(t, folder)

	write("30s")
	command := d.command("measure", folder, "--plan", plan, "--size", "8MiB")
	go func() { // once it fills, whenever that is
		for range 600 {
			if fillers, _ := filepath.Glob(filepath.Join(folder, "*-filler-*")); len(fillers) > 0 {
				break
			}
			time.Sleep(50 * time.Millisecond)
		}
		_ = command.Process.Signal(os.Interrupt)
	}()
	if got := d.finish(command); got.code != 130 {
		t.Errorf("exit %d: %s", got.code, got.stderr)
	}
	assertEmpty(t, folder)
}

func TestBlocksBelowTheDevicesAreRefused(t *testing.T) {
	t.Parallel()
	device := loopDevice(t, 64<<20)
	if out, err := exec.Command("losetup", "--sector-size", "4096", device).CombinedOutput(); err != nil {
		t.Skipf("the sector size cannot be changed here: %s", out)
	}
	file := planFile(t, "{operation: read, access: random, block: 512B, depth: 1}")
	if got := newProgramDesk(t).run("measure", device, "--plan", file); got.code != 2 ||
		!strings.Contains(got.stderr, "only multiples of 4 KiB") {
		t.Errorf("exit %d: %s", got.code, got.stderr)
	}
}

func TestAFixedRateIsHeld(t *testing.T) {
	witness.JudgesTimes(t)
	t.Parallel()
	d := newProgramDesk(t)
	plan := planFile(t, "{operation: read, access: random, block: 4KiB, depth: 16, rate: [200, 2000], workers: [1, "+
		"2], hold: 3s}")
	witness.OnQuietMachine(t, func() (faults []string) {
		s := decode[session.Session](t, d.must("measure", steadyFolder(t), "--size", "16MiB", "--plan", plan, "--json"))
		for _, pass := range s.Passes {
			if off := pass.IOPS/pass.Rate - 1; !(math.Abs(off) <= 0.01) {
				faults = append(faults, fmt.Sprintf("%s: held to %.2f %%", pass.Label(), off*100))
			}
		}
		return faults
	})
}

// A device that starts to fail is a dropout; once it answers again the plan
// goes on, and what was measured before is kept.
func TestADeviceThatVanishesAndReturns(t *testing.T) {
	t.Parallel()
	const size = 64 << 20
	device := loopDevice(t, size)
	image := strings.TrimSpace(string(must(t, exec.Command("losetup", "--noheadings", "--output", "BACK-FILE",
		device))))
	plan := planFile(t, "{operation: read, access: random, block: [4KiB, 8KiB, 16KiB], depth: 4, hold: 2s}")
	d := newProgramDesk(t)
	command := d.command("measure", device, "--plan", plan, "--json", "--return-within", "20s")
	// It vanishes in the second pass, whenever that is, and is back two seconds later.
	command.Stderr = &trigger{when: "pass 1/3", do: func() {
		time.AfterFunc(700*time.Millisecond, func() { _ = os.Truncate(image, 0) })
		time.AfterFunc(2700*time.Millisecond, func() { _ = os.Truncate(image, size) })
	}}
	got := d.finish(command)
	s := decode[session.Session](t, got.stdout)
	if got.code != 0 || s.State != session.Complete || len(s.Passes) != 3 || s.Passes[0].CutShort ||
		!s.Passes[1].CutShort || s.Passes[2].CutShort {
		t.Fatalf("exit %d, state %s, %d passes: %s", got.code, s.State, len(s.Passes), got.stderr)
	}
	gone, back := eventsOf(s, event.Dropout), eventsOf(s, event.Return)
	if len(gone) != 1 || len(back) != 1 || !strings.Contains(back[0].Detail, "loop over "+image) {
		t.Fatalf("events are %+v", s.Events)
	}
	if away := back[0].TSeconds - gone[0].TSeconds; away < 0.5 || away > 4 {
		t.Errorf("away for %.1f s, want about 2", away)
	}
	dropouts := 0
	for _, f := range s.Findings {
		if f.Kind == "dropout" && f.Severity == session.Fault && f.Passes[0] == 1 {
			dropouts++
		}
	}
	if dropouts != 1 {
		t.Errorf("findings are %+v", s.Findings)
	}
}

func eventsOf(s session.Session, kind string) []session.Event {
	var found []session.Event
	for _, e := range s.Events {
		if e.Kind == kind {
			found = append(found, e)
		}
	}
	return found
}

// must gives what a command prints.
func must(t *testing.T, command *exec.Cmd) []byte {
	t.Helper()
	out, err := command.Output()
	if err != nil {
		t.Fatal(err)
	}
	return out
}
