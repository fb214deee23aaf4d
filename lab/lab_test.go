package lab

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/event"
	"opengauge/core/bench/survey"
	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// bench boots the machine, or skips and says what it takes.
func bench(t *testing.T) *machine {
	t.Helper()
	kernel, initramfs := image(t)
	return boot(t, kernel, initramfs)
}

// image makes what the machine boots, or skips and says what it takes.
func image(t *testing.T) (kernel, initramfs string) {
	t.Helper()
	if os.Getenv("OPENGAUGE_LAB") == "" {
		t.Skip("the lab takes minutes; make lab runs it")
	}
	if _, err := exec.LookPath("qemu-system-x86_64"); err != nil {
		t.Skip("the lab needs QEMU: apt-get install qemu-system-x86")
	}
	packages, _ := filepath.Glob("../.lab/linux-image-*.deb")
	if len(packages) == 0 {
		t.Skip("the lab needs Debian's kernel package in .lab: make lab fetches it where apt-get works")
	}
	return buildImage(t, packages[len(packages)-1])
}

func decode[T any](t *testing.T, got outcome) T {
	t.Helper()
	var document T
	if err := json.Unmarshal([]byte(got.Stdout), &document); err != nil {
		t.Fatalf("exit %d, no JSON: %v\n%s\n%s", got.Code, err, got.Stdout, got.Stderr)
	}
	return document
}

// surveyed gives the machine's devices by their serial numbers.
func surveyed(t *testing.T, m *machine) map[string]survey.Device {
	t.Helper()
	document := decode[struct{ Devices []survey.Device }](t, m.run(nil, "survey", "--json"))
	found := map[string]survey.Device{}
	for _, d := range document.Devices {
		if strings.HasPrefix(d.Serial, "TW-") {
			found[d.Serial] = d
		}
	}
	return found
}

func TestLab(t *testing.T) {
	m := bench(t)
	devices := surveyed(t, m)
	t.Run("the right hops, rates, widths and temperatures", func(t *testing.T) { checkSurvey(t, devices) })
	t.Run("a drive at the ceiling of its hop is link-bound", func(t *testing.T) { checkLinkBound(t, m, devices) })
	t.Run("a drive that the kernel throttles", func(t *testing.T) { checkThrottled(t, m, devices) })
	t.Run("a copy between throttled ends", func(t *testing.T) { checkThrottledCopy(t, m) })
	t.Run("a drive with a bad sector", func(t *testing.T) { checkBadSector(t, m, devices) })
	t.Run("a drive that is pulled out", func(t *testing.T) { checkPulled(t, m, devices) })
}

func checkSurvey(t *testing.T, devices map[string]survey.Device) {
	want := map[string]struct {
		kind     survey.Class
		standard string
		lanes    int
		// celsius is what the drive's own sensor reports, or 0 for none.
		celsius float64
	}{
		// The emulator's NVMe controllers are of the first generation and have one
		// lane, whatever their slots could do.
		"TW-WIDE":   {survey.SolidState, "pcie 1.0 x1", 1, 49.85},
		"TW-NARROW": {survey.SolidState, "pcie 1.0 x1", 1, 49.85},
		"TW-QUEUED": {survey.HardDisk, "usb 3.2 gen 1 queued", 1, 0},
		"TW-SINGLE": {survey.HardDisk, "usb 3.2 gen 1 bulk-only", 1, 0},
		"TW-SATA":   {survey.HardDisk, "sata 1", 1, 0},
		"TW-WORN":   {survey.SolidState, "pcie 1.0 x1", 1, 49.85},
	}
	for serial, w := range want {
		d, ok := devices[serial]
		if !ok || len(d.Hops) != 1 {
			t.Errorf("%s: %d hops", serial, len(d.Hops))
			continue
		}
		hop := d.Hops[0]
		if d.Kind != w.kind || hop.Standard != w.standard || hop.Lanes != w.lanes || hop.Negotiated == nil ||
			d.Capacity != 2<<30 {
			t.Errorf("%s is a %s of %s behind %+v", serial, d.Kind, d.Capacity.Capacity(), hop)
		}
		if got := float64(d.TemperaturesCelsius["drive"]); got != w.celsius {
			t.Errorf("%s is at %v degrees, want %v", serial, got, w.celsius)
		}
		if isNVMe := strings.HasPrefix(d.Name, "nvme"); isNVMe != (d.Health != nil) {
			t.Errorf("%s has the health %+v", serial, d.Health)
		} else if isNVMe && (d.Health.TemperatureCelsius != 50 || d.Health.WarningCelsius != 70 ||
			d.Health.CriticalCelsius != 100 || hop.Capable == nil) {
			t.Errorf("%s has the health %+v, and a hop capable of %+v", serial, d.Health, hop.Capable)
		}
	}
	if len(devices) != len(want) {
		t.Errorf("%d devices, want %d", len(devices), len(want))
	}
}

// kinds gives what was found in a session, by kind.
func kinds(s session.Session) map[string]session.Finding {
	found := map[string]session.Finding{}
	for _, f := range s.Findings {
		found[f.Kind] = f
	}
	return found
}

func checkLinkBound(t *testing.T, m *machine, devices map[string]survey.Device) {
	drive := devices["TW-WIDE"]
	ceiling := float64(drive.Hops[0].Usable.High)
	write := map[string]string{"/tmp/flat.yaml": plan(
		"operation: read, access: sequential, block: 256KiB, depth: [4, 16], hold: 4s",
		"operation: read, access: random, block: 128KiB, depth: 16, hold: 4s")}
	for _, c := range []struct {
		share float64
		bound bool
	}{{0.97, true}, {0.5, false}} {
		m.hold("wide", ceiling*c.share)
		s := decode[session.Session](t, m.run(write, "measure", drive.Path, "--plan", "/tmp/flat.yaml", "--json"))
		fastest := 0.0
		for _, pass := range s.Passes {
			fastest = max(fastest, float64(pass.BytesPerSecond))
		}
		finding, bound := kinds(s)["link-bound"]
		t.Logf("held to %.0f MB/s: measured %.0f MB/s, link-bound %v", ceiling*c.share/1e6, fastest/1e6, bound)
		if fastest < ceiling*c.share*0.9 {
			t.Skipf("this machine emulates too slowly: %.0f MB/s of %.0f", fastest/1e6, ceiling*c.share/1e6)
		}
		if bound != c.bound || bound && !strings.Contains(finding.Summary, drive.Hops[0].Name) {
			t.Errorf("held to %.0f %% of the hop's ceiling: findings %+v", c.share*100, s.Findings)
		}
		if link := s.Passes[0].Link; link == nil || link.Before.States[drive.Hops[0].Name] != "pcie 1.0 x1" {
			t.Errorf("the pass's links are %+v", link)
		}
	}
	m.hold("wide", 0)
}

// checkThrottled measures a drive that the kernel holds to a rate, and to a number of
// operations a second.
func checkThrottled(t *testing.T, m *machine, devices map[string]survey.Device) {
	drive := devices["TW-WIDE"]
	for _, c := range []struct {
		most, load string
		want       float64
		figure     func(session.Pass) float64
	}{
		{"rbps=20000000", "operation: read, access: sequential, block: 64KiB, depth: 4, hold: 8s", 20e6,
			func(p session.Pass) float64 { return float64(p.BytesPerSecond) }},
		{"riops=300", "operation: read, access: random, block: 4KiB, depth: 4, hold: 8s", 300,
			func(p session.Pass) float64 { return p.IOPS }},
	} {
		// A machine that stands still now and then does less than the kernel lets it, and
		// never more.
		witness.Again(t, func() string {
			got := m.throttled(drive.Path, c.most, map[string]string{"/tmp/held.yaml": plan(c.load)},
				"measure", drive.Path, "--plan", "/tmp/held.yaml", "--json")
			pass := decode[session.Session](t, got).Passes[0]
			t.Logf("held to %s: measured %.0f", c.most, c.figure(pass))
			checkCounted(t, got.Counted, pass)
			if !(c.figure(pass) <= c.want*1.05) {
				t.Errorf("held to %s: measured %.0f", c.most, c.figure(pass))
			}
			if !(c.figure(pass) >= c.want*0.95) {
				return fmt.Sprintf("held to %s: measured %.0f at the most", c.most, c.figure(pass))
			}
			return ""
		})
	}
}

// checkCounted holds what a pass says it read against what the kernel counted for its process,
// which also reads as it gets ready.
func checkCounted(t *testing.T, counted string, pass session.Pass) {
	t.Helper()
	for what, said := range map[string]int64{"rbytes": int64(pass.Bytes), "rios": pass.Operations} {
		found := regexp.MustCompile(what + `=(\d+)`).FindStringSubmatch(counted)
		if found == nil {
			t.Fatalf("the kernel counts no %s: %q", what, counted)
		}
		kernel, err := strconv.ParseInt(found[1], 10, 64)
		if err != nil {
			t.Fatal(err)
		}
		if !(said <= kernel) || !(float64(said) >= 0.8*float64(kernel)) {
			t.Errorf("%s: the pass says %d, and the kernel %d", what, said, kernel)
		}
	}
}

// checkThrottledCopy copies between two file systems that the kernel holds to known rates: it
// takes as long as the slower one allows, and that end is named.
func checkThrottledCopy(t *testing.T, m *machine) {
	for end, rates := range map[string][2]int{"source": {slowEnd, fastEnd}, "destination": {fastEnd, slowEnd}} {
		// An emulated machine stands still now and then: the quickest of a few of each copy
		// is what it takes, and none of them may take less than the ends allow.
		quickest, named := map[string]float64{}, false
		for range mostCopies {
			s := throttledCopy(t, m, rates)
			f, ok := kinds(s)["endpoint-bound"]
			named = named || ok && f.Evidence.Fact("end") == end
			for _, c := range s.Copies {
				t.Logf("slower %s: %s took %.2f s", end, c.Work, c.ElapsedSeconds)
				if known, seen := quickest[c.Work]; !seen || c.ElapsedSeconds < known {
					quickest[c.Work] = c.ElapsedSeconds
				}
			}
			if named && asAllowed(quickest, rates) == "" {
				break
			}
		}
		if wrong := asAllowed(quickest, rates); wrong != "" {
			t.Errorf("slower %s: %s", end, wrong)
		}
		if !named {
			t.Errorf("the slower %s is never named", end)
		}
	}
}

// The throughput of two ends, in bytes a second, what is copied between them, and how often
// at the most.
const slowEnd, fastEnd, copiedBytes, mostCopies = 6 << 20, 12 << 20, 48 << 20, 5

// throttledCopy copies between two ends that are held to rates.
func throttledCopy(t *testing.T, m *machine, rates [2]int) session.Session {
	both := func(rate int) string { return fmt.Sprintf("rbps=%d wbps=%d", rate, rate) }
	got := m.ask(map[string]any{
		"mount": []map[string]string{{"device": "/dev/vda", "place": "/from"}, {"device": "/dev/vdb", "place": "/to"}},
		"limit": []map[string]string{{"device": "/dev/vda", "most": both(rates[0])},
			{"device": "/dev/vdb", "most": both(rates[1])}},
		"run": []string{"copy", "/from", "/to", "--set", "large-file", "--size", fmt.Sprint(copiedBytes), "--json"},
	})()
	s := decode[session.Session](t, got)
	if got.Code != 0 || len(s.Copies) != 3 {
		t.Fatalf("exit %d with %d copies: %s", got.Code, len(s.Copies), got.Stderr)
	}
	return s
}

// asAllowed says which copy did not take what its ends allow, to a twentieth.
func asAllowed(took map[string]float64, rates [2]int) string {
	for work, rate := range map[string]int{session.CopyWhole: slowEnd, session.CopySource: rates[0],
		session.CopyDestination: rates[1]} {
		want := float64(copiedBytes) / float64(rate)
		if off := took[work]/want - 1; !(math.Abs(off) <= 0.05) {
			return fmt.Sprintf("%s took %.2f s at the least, want %.2f s", work, took[work], want)
		}
	}
	return ""
}

// checkBadSector reads over a sector that the drive cannot read: that is told with its place,
// and is no dropout.
func checkBadSector(t *testing.T, m *machine, devices map[string]survey.Device) {
	write := map[string]string{"/tmp/over.yaml": "plan: over\nsteps:\n  - sustain: {operation: read, access: " +
		"sequential, block: 16KiB, depth: 2, over: 1x}\n"}
	got := m.run(write, "measure", devices["TW-WORN"].Path, "--size", "40MiB", "--plan", "/tmp/over.yaml", "--json")
	s := decode[session.Session](t, got)
	// Neighbours that were under way beside it may be cancelled by the kernel: that is another error,
	// with a finding of its own.
	var e finding.IOErrorsEvidence
	found := false
	for _, f := range s.Findings {
		each, ok := finding.EvidenceOf[finding.IOErrorsEvidence](f)
		switch {
		case f.Kind != "io-errors" || !ok:
		case strings.Contains(each.Error, "canceled"):
			t.Logf("beside it: %s", f.Summary)
		default:
			found = !found && f.Severity == session.Fault
			e = each
		}
	}
	_, dropped := kinds(s)["dropout"]
	if !found || dropped || s.State != session.Complete {
		t.Fatalf("exit %d, state %s, findings %+v", got.Code, s.State, s.Findings)
	}
	const block = 16 << 10
	if want := int64(badSector * 512 / block * block); e.FirstOffset == nil || *e.FirstOffset != want ||
		e.Action != "read" || *e.FromOffset != want || *e.ToOffset != want {
		t.Errorf("of a bad sector in the block at %d is said %+v", want, e)
	}
}

func checkPulled(t *testing.T, m *machine, devices map[string]survey.Device) {
	drive := devices["TW-SINGLE"]
	write := map[string]string{"/tmp/pull.yaml": plan("operation: read, access: sequential, block: 128KiB, depth: "+
		"4, hold: 3s", "operation: read, access: random, block: 4KiB, depth: [4, 8], hold: 60s")}
	wait := m.start(write, "measure", drive.Path, "--plan", "/tmp/pull.yaml", "--return-within", "2s", "--json")
	time.Sleep(30 * time.Second) // into the second pass, which lasts a minute, also on a slow machine
	m.pull("single")
	got := wait()
	s := decode[session.Session](t, got)
	if got.Code != 1 || s.State != session.Failed || len(s.Passes) < 1 || s.Passes[0].CutShort || len(s.Passes) > 2 {
		t.Errorf("exit %d, state %s, %d passes: %s", got.Code, s.State, len(s.Passes), got.Stderr)
	}
	if f, ok := kinds(s)["dropout"]; !ok || f.Severity != session.Fault ||
		!strings.Contains(f.Summary, "did not come back") {
		t.Errorf("findings %+v, events %+v", s.Findings, s.Events)
	}
	told := false
	for _, e := range s.Events {
		told = told || e.Kind == event.Removed
	}
	if !told {
		t.Errorf("nobody told of the removal: %+v", s.Events)
	}
	kept := decode[session.Session](t, m.run(nil, "logbook", "show", "latest", "--json"))
	if kept.ID != s.ID || len(kept.Passes) != len(s.Passes) {
		t.Errorf("the logbook has %s with %d passes", kept.ID, len(kept.Passes))
	}
}
