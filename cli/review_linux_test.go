package cli_test

import (
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// swappable are two drives, each a loop device with a file system, one of which is plugged
// in at a folder.
type swappable struct {
	t       *testing.T
	devices map[string]string
	folder  string
	in      string
}

func swappableDrives(t *testing.T, names ...string) *swappable {
	t.Helper()
	s := &swappable{t: t, devices: map[string]string{}, folder: t.TempDir()}
	images := steadyFolder(t)
	for _, name := range names {
		image := filepath.Join(images, name+".img")
		if err := os.WriteFile(image, nil, 0o600); err != nil {
			t.Fatal(err)
		}
		s.devices[name] = witness.LoopOver(t, image, 96*unit.MiB)
		makeFileSystem(t, s.devices[name])
	}
	t.Cleanup(s.unplug)
	return s
}

func (s *swappable) unplug() {
	if s.in != "" {
		_ = exec.Command("umount", "--lazy", s.folder).Run()
		s.in = ""
	}
}

func (s *swappable) plug(name string) {
	s.t.Helper()
	s.unplug()
	if out, err := exec.Command("mount", s.devices[name], s.folder).CombinedOutput(); err != nil {
		s.t.Skipf("nothing can be mounted here: %s", out)
	}
	s.in = name
}

// loopReview is a review of two drives that are known by the files that they are made of.
func loopReview(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	for name, source := range map[string]string{
		"bench.yaml": `hosts:
  desk: {ports: {a: sata 3}}
drives:
  gull: {link: sata 3, serial: gull.img}
  tern: {link: sata 3, serial: tern.img}
`,
		"short.yaml": "plan: short\nsteps:\n  - sweep: {operation: write, access: sequential, block: 1MiB, depth: " +
			"4, hold: 300ms}\n",
		"review.yaml": `review: loops
question: Which of the two writes faster?
bench: bench.yaml
compare: {drive: [gull, tern]}
with: {host: desk}
measure:
  - plan: short.yaml
    size: 16MiB
decide: {largest: rate, of: write}
budget: {visits-at-most: 2, rest-at-most: 1s}
`,
	} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(source), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return filepath.Join(folder, "review.yaml")
}

// stepOf is the next step of a review.
func stepOf(t *testing.T, d desk, file string) (drive string, order int) {
	t.Helper()
	step := decode[struct {
		Cell  string
		Order int
		Ends  string
	}](t, d.must("review", "run", file, "--next", "--json"))
	return step.Cell, step.Order
}

var other = map[string]string{"gull": "tern", "tern": "gull"}

// In a terminal, with drives that are swapped while it waits, the wrong one first: it is
// noticed. Killed while it waits and while it measures it goes on where it was.
func TestAReviewInATerminal(t *testing.T) {
	t.Parallel()
	drives, d, file := swappableDrives(t, "gull", "tern"), newProgramDesk(t), loopReview(t)
	run := func() *terminal { return d.inTerminal("review", "run", file, "--target", drives.folder) }
	var asked []string
	visits := 0
	term := run()
	for kills := 0; ; {
		if term.await("visit ", "It ends here") == "It ends here" {
			break
		}
		drive, order := stepOf(t, d, file)
		if order != visits+1 {
			t.Fatalf("visit %d comes after %d", order, visits)
		}
		asked = append(asked, drive)
		wrong := fmt.Sprintf("%s (serial %s.img) is there, and %s (serial %s.img) is asked for", other[drive], other[drive],
			drive, drive)
		const unseen = "Nothing on this machine can see the host desk"
		early := false
		if drives.in != drive {
			drives.plug(other[drive])
			term.await(wrong)
		} else { // the right one was in from before: it is swapped while the question stands
			term.await(unseen)
			drives.plug(other[drive])
			term.types("yes")
			term.await(wrong)
			early = true
		}
		if kills == 0 {
			kills++
			term.kill()
			term = run()
			continue
		}
		drives.plug(drive)
		if !early {
			term.await(unseen)
			term.types("yes")
		}
		if kills == 1 { // in the middle of its work
			kills++
			term.await("1/1", "short", "%")
			term.kill()
			if drive, order := stepOf(t, d, file); drive != asked[len(asked)-1] || order > visits+2 {
				t.Fatalf("after it was killed comes visit %d of %s, and %s was asked", order, drive, asked[len(asked)-1])
			} else {
				visits = order - 1
			}
			term = run()
			continue
		}
		term.await("kept")
		visits++
	}
	listed := decode[struct{ Sessions []struct{ ID string } }](t, d.must("logbook", "list", "--json"))
	counted := map[string]int{}
	for _, each := range listed.Sessions {
		s := decode[session.Session](t, d.must("logbook", "show", each.ID, "--json"))
		if s.State != session.Complete {
			continue
		}
		counted[s.Review.Cell]++
		if s.Review.Name != "loops" || !strings.Contains(strings.Join(s.Review.Seen, " "), s.Review.Cell+".img") ||
			len(s.Review.Asked) == 0 || s.Review.FreeBytes == 0 {
			t.Errorf("session %s says %+v", s.ID, s.Review)
		}
	}
	if counted["gull"] < 2 || counted["tern"] < 2 {
		t.Errorf("visits that count: %v", counted)
	}
}

// A part that never arrives is waited for as long as was asked, and said; without a
// terminal nobody is asked.
func TestAPartThatNeverArrives(t *testing.T) {
	t.Parallel()
	drives, d, file := swappableDrives(t, "gull", "tern"), newProgramDesk(t), loopReview(t)
	drive, _ := stepOf(t, d, file)
	drives.plug(other[drive])
	got := d.run("review", "run", file, "--target", drives.folder, "--wait", "2s")
	if got.code != 1 || !strings.Contains(got.stderr, "waited 2 s for "+drive) ||
		!strings.Contains(got.stderr, "go on with the same command") {
		t.Errorf("exit %d, %q", got.code, got.stderr)
	}
	got = d.run("review", "run", file, "--wait", "1s") // by its serial alone it is not mounted, or it is the other one
	if got.code != 1 || !strings.Contains(got.stderr, drive) {
		t.Errorf("exit %d, %q", got.code, got.stderr)
	}
	drives.plug(drive)
	command := d.command("review", "run", file, "--target", drives.folder)
	command.Stdin = strings.NewReader("")
	if got := d.finish(command); got.code != 1 || !strings.Contains(got.stderr, "nobody answers here") {
		t.Errorf("exit %d, %q", got.code, got.stderr)
	}
}

// Two volumes on servers that hold them to known rates: the whole way over a network, with
// hands that say yes to what nobody sees, gives the faster one and by how much.
func TestAReviewOfTwoVolumes(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	const slow, fast = 40.0, 52.0 // MB/s
	at := map[string]string{}
	for name, rate := range map[string]float64{"loch": slow, "firth": fast} {
		address, _ := stood(t, d, "--iops", "1000000", "--throughput", fmt.Sprintf("%gMB/s", rate), "--size", "64MiB")
		at[name] = address
	}
	folder := t.TempDir()
	file := filepath.Join(folder, "review.yaml")
	for name, source := range map[string]string{
		"bench.yaml": "hosts:\n  desk: {ports: {lan: ethernet 10g}}\nvolumes:\n  loch: {network: ethernet 10g}\n  " +
			"firth: {network: " +
			"ethernet 10g}\n",
		"short.yaml": "plan: short\nsteps:\n  - sweep: {operation: write, access: sequential, block: 256KiB, depth: " +
			"4, hold: " +
			"600ms}\n",
		"review.yaml": "review: volumes\nquestion: Which volume?\nbench: bench.yaml\ncompare: {volume: [loch, " +
			"firth]}\nwith: " +
			"{host: desk}\nmeasure:\n  - plan: short.yaml\ndecide: {largest: rate, of: write}\nbudget: {visits-at-most: 8, " +
			"rest-at-most: 1s}\n",
	} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(source), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	run := func(d desk, answers string, besides ...string) outcome {
		command := d.command(append([]string{"review", "run", file, "--json", "--target", "loch=" + at["loch"], "--target",
			"firth=" + at["firth"], "--overwrite", "v"}, besides...)...)
		command.Stdin = strings.NewReader(answers)
		return d.finish(command)
	}
	for target, want := range map[string]string{"dinghy=/tmp": "no cell of the review", "loch=/tmp": "says twice"} {
		if got := run(d, "", "--target", target); got.code != 2 || !strings.Contains(got.stderr, want) {
			t.Errorf("%s: exit %d, %q", target, got.code, got.stderr)
		}
	}
	witness.OnQuietMachine(t, func() (faults []string) {
		got := run(newProgramDesk(t), strings.Repeat("yes\n", 40))
		if got.code != 0 {
			t.Fatalf("exit %d: %s", got.code, got.stderr)
		}
		a := decode[answered](t, got.stdout)
		v := a.Verdicts[0]
		if v.Settled && v.Named != "firth" { // sure of the slower one is wrong on any machine
			t.Errorf("%+v", v)
		}
		if !v.Settled || v.Ahead == nil || !(math.Abs(v.Ahead.Share-(fast/slow-1)) <= 0.06) {
			faults = append(faults, fmt.Sprintf("%+v, ahead by %+v; want firth by %.2f", v, v.Ahead,
				fast/slow-1))
		}
		return faults
	})
}
