package cli_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"opengauge/core/judge/move"
	"opengauge/core/unit"
	"opengauge/lab/night"
	"opengauge/lab/witness"
)

// explained is what explain --json says of times.
type explained struct {
	Moves []move.Record `json:"moves"`
}

// timesOf measures with a plan and gives the times of amounts.
func timesOf(t *testing.T, d desk, plan string, amounts []unit.Bytes, measure ...string) []move.Record {
	t.Helper()
	d.must(append([]string{"measure", "--plan", plan, "--name", "recorded"}, measure...)...)
	arguments := []string{"explain", "recorded", "--json"}
	for _, amount := range amounts {
		arguments = append(arguments, "--amount", fmt.Sprintf("%dB", amount))
	}
	var got explained
	if err := json.Unmarshal([]byte(d.must(arguments...)), &got); err != nil {
		t.Fatal(err)
	}
	if len(got.Moves) != len(amounts) {
		t.Fatalf("%d times of %d amounts: %+v", len(got.Moves), len(amounts), got.Moves)
	}
	return got.Moves
}

// off says how a time differs from one that another program took.
func off(m move.Record, took float64) string {
	if m.Known() && math.Abs(m.Seconds/took-1) <= 0.03 || !m.Known() && m.Low > 0 && m.Low <= took*1.03 {
		return ""
	}
	return fmt.Sprintf("%s take %.2f s, and it says %+v", m.Amount.Decimal(), took, m.Time)
}

// clocked runs another program and says for how many seconds.
func clocked(t *testing.T, command *exec.Cmd) float64 {
	began := time.Now()
	if text, err := command.CombinedOutput(); err != nil {
		t.Errorf("%v: %s", err, text)
	}
	return time.Since(began).Seconds()
}

// A volume whose allowance runs out: the program records one of the kind, and another
// program fills one that is fresh, by an amount within the recording and one beyond it.
func TestTimesOfAVolumeAreThoseOfAnotherProgram(t *testing.T) {
	night.Only(t)
	t.Parallel()
	needs(t, "nbdcopy")
	limits := []string{"--iops", "20", "--burst", "65", "--credits", "400", "--throughput", "1GB/s", "--size", "2GiB"}
	amounts := []unit.Bytes{700 << 20, 1400 << 20}
	book := filepath.Join(t.TempDir(), "bench.yaml")
	if err := os.WriteFile(book, []byte("volumes:\n  v: {network: ethernet 10g, iops: 130, throughput: 1GB/s}\n"),
		0o600); err != nil {
		t.Fatal(err)
	}
	plan := filepath.Join(t.TempDir(), "plan.yaml")
	if err := os.WriteFile(plan, []byte("plan: long\nsteps:\n  - sustain: {operation: write, access: sequential, "+
		"block: 1MiB, depth: 8, for: 46s}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	witness.OnQuietMachine(t, func() (faults []string) {
		var group sync.WaitGroup
		took := make([]float64, len(amounts))
		for i, amount := range amounts {
			source := filepath.Join(t.TempDir(), "source")
			if err := errors.Join(os.WriteFile(source, nil, 0o600), os.Truncate(source, int64(amount))); err != nil {
				t.Fatal(err)
			}
			fresh, _ := stood(t, newProgramDesk(t), limits...)
			group.Go(func() {
				took[i] = clocked(t, exec.Command("nbdcopy", "--no-extents", "--sparse=0", "--flush", "--connections=1",
					"--requests=8", "--request-size=1048576", source, fresh))
			})
		}
		d := newProgramDesk(t)
		address, _ := stood(t, d, limits...)
		times := timesOf(t, d, plan, amounts, address, "--overwrite", "v", "--bench", book, "--through", "v")
		group.Wait()
		for i := range amounts {
			if fault := off(times[i], took[i]); fault != "" {
				faults = append(faults, fault)
			}
		}
		if !times[1].Extrapolated || !times[1].Known() || times[0].Extrapolated {
			faults = append(faults, fmt.Sprintf("the second is beyond the recording, and its cause is known: %+v", times))
		}
		return faults
	})
}

// A loop device that the kernel holds to a rate: what is within the recording is known,
// and of more it is said how long it takes at the least.
func TestTimesOfAThrottledDeviceAreTheKernels(t *testing.T) {
	witness.JudgesTimes(t)
	t.Parallel()
	const group, rate = "/sys/fs/cgroup/blkio/opengauge-moves", 40 << 20
	if err := os.Mkdir(group, 0o755); err != nil && !os.IsExist(err) {
		t.Skipf("this machine cannot hold devices to a rate: %v", err)
	}
	t.Cleanup(func() { _ = os.Remove(group) })
	const size = 1 << 30
	amounts := []unit.Bytes{300 << 20, 700 << 20}
	devices := []string{loopDevice(t, size), loopDevice(t, size), loopDevice(t, size)}
	for _, device := range devices {
		number, err := os.ReadFile(filepath.Join("/sys/class/block", filepath.Base(device), "dev"))
		if err != nil {
			t.Fatal(err)
		}
		line := fmt.Sprintf("%s %d", strings.TrimSpace(string(number)), rate)
		if err := os.WriteFile(filepath.Join(group, "blkio.throttle.write_bps_device"), []byte(line), 0o600); err != nil {
			t.Skipf("this machine cannot hold devices to a rate: %v", err)
		}
	}
	plan := filepath.Join(t.TempDir(), "plan.yaml")
	if err := os.WriteFile(plan, []byte("plan: long\nsteps:\n  - sustain: {operation: write, access: sequential, "+
		"block: 128KiB, depth: 1, for: 12s}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	witness.OnQuietMachine(t, func() (faults []string) {
		var writers sync.WaitGroup
		took := make([]float64, len(amounts))
		for i, amount := range amounts {
			writers.Go(func() {
				took[i] = clocked(t, exec.Command("sh", "-c", "echo $$ > "+group+"/cgroup.procs; exec dd if=/dev/zero of="+
					devices[i+1]+" bs=128k oflag=direct conv=notrunc count="+fmt.Sprint(int64(amount)>>17)))
			})
		}
		d := newProgramDesk(t)
		// Whoever is started in the group is held to the rate.
		d.launcher = []string{"sh", "-c", `echo $$ > ` + group + `/cgroup.procs; exec "$@"`, "sh"}
		times := timesOf(t, d, plan, amounts, devices[0], "--overwrite", fmt.Sprintf("%s:%d", devices[0], size))
		writers.Wait()
		for i := range amounts {
			if fault := off(times[i], took[i]); fault != "" {
				faults = append(faults, fault)
			}
		}
		if times[0].Extrapolated || !times[1].Extrapolated || times[1].Known() {
			faults = append(faults, fmt.Sprintf("the second is beyond the recording, and nothing is settled: %+v", times))
		}
		return faults
	})
}
