package cli_test

import (
	"fmt"
	"io"
	"math"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"opengauge/core/bench/event"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/lab/night"
	"opengauge/lab/witness"
)

// background runs a program until the test ends, once it listens at a socket.
func background(t *testing.T, socket string, command *exec.Cmd) {
	t.Helper()
	var said strings.Builder
	command.Stdout, command.Stderr = &said, &said
	if err := command.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = command.Process.Signal(syscall.SIGTERM)
		_ = command.Wait()
	})
	for range 100 {
		if _, err := os.Stat(socket); err == nil {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatalf("nobody listens at %s: %s", socket, said.String())
}

// kit starts nbdkit on a socket and gives the address of its volume.
func kit(t *testing.T, arguments ...string) string {
	t.Helper()
	needs(t, "nbdkit")
	socket := filepath.Join(t.TempDir(), "s")
	background(t, socket, exec.Command("nbdkit", append([]string{"-f", "--exit-with-parent", "-U", socket},
		arguments...)...))
	return "nbd+unix:///?socket=" + socket
}

// stood starts a stand-in and gives the address of its export "v".
func stood(t *testing.T, d desk, arguments ...string) (address, socket string) {
	t.Helper()
	socket = filepath.Join(t.TempDir(), "s")
	background(t, socket, d.command(append([]string{"standin", "volume", "--listen", socket, "--export", "v"},
		arguments...)...))
	return "nbd+unix:///v?socket=" + socket, socket
}

// levelBetween is the median of a pass's samples between two times.
func levelBetween(pass session.Pass, from, to float64) float64 {
	var rates []float64
	for _, sample := range pass.Samples {
		if sample.TSeconds > from && sample.TSeconds <= to {
			rates = append(rates, float64(sample.BytesPerSecond))
		}
	}
	return stat.Median(rates)
}

func TestARateThatChangesInTheMiddle(t *testing.T) {
	witness.JudgesTimes(t)
	t.Parallel()
	needs(t, "nbdkit")
	// The filter counts bits, and 2^20 of them for its M.
	const first, second, change = 320 << 20 / 8, 160 << 20 / 8, 8.0
	witness.OnQuietMachine(t, func() (faults []string) {
		rate := filepath.Join(t.TempDir(), "rate")
		if err := os.WriteFile(rate, []byte("320M"), 0o600); err != nil {
			t.Fatal(err)
		}
		address := kit(t, "--filter=rate", "memory", "256M", "rate=320M", "rate-file="+rate, "burstiness=0.2")
		d := newProgramDesk(t)
		plan := planFile(t, "{operation: read, access: sequential, block: 64KiB, depth: 4, hold: 20s}")
		began := time.Now()
		timer := time.AfterFunc(time.Duration(change*float64(time.Second)),
			func() { _ = os.WriteFile(rate, []byte("160M"), 0o600) })
		defer timer.Stop()
		s := decode[session.Session](t, d.must("measure", address, "--plan", plan, "--json"))
		pass := s.Passes[0]
		at := change - s.Started.Sub(began).Seconds() - pass.StartedSeconds
		for _, c := range []struct{ from, to, want float64 }{{2, at - 1, first}, {at + 3, 20, second}} {
			got := levelBetween(pass, c.from, c.to)
			if off := got/c.want - 1; !(math.Abs(off) <= 0.03) {
				faults = append(faults, fmt.Sprintf("between %.1f and %.1f s: %.2f MB/s, %.1f %% off", c.from, c.to,
					got/1e6, off*100))
			}
		}
		found := false
		for _, f := range s.Findings {
			found = found || math.Abs(f.FromSeconds-at) <= 2 && f.FromSeconds > 0
		}
		if !found {
			faults = append(faults, fmt.Sprintf("the change at %.1f s is not found: %+v", at, s.Findings))
		}
		return faults
	})
}

func TestAKnownDelay(t *testing.T) {
	t.Parallel()
	address := kit(t, "--filter=delay", "memory", "64M", "rdelay=20ms")
	witness.OnQuietMachine(t, func() (faults []string) {
		s := decode[session.Session](t, newProgramDesk(t).must("measure", address, "--plan",
			planFile(t, "{operation: read, access: random, block: 4KiB, depth: [1, 8], hold: 3s}"), "--json"))
		for _, pass := range s.Passes {
			if off := pass.Latency.P50/0.020 - 1; off < 0 || off > 0.03 {
				faults = append(faults, fmt.Sprintf("depth %d: p50 is %.2f ms of 20", pass.Depth, pass.Latency.P50*1e3))
			}
		}
		return faults
	})
}

// detour passes connections on to a volume, and what it answers so much later.
type detour struct{ delay atomic.Int64 }

// to listens in front of a volume's socket, and gives the address that leads there.
func (d *detour) to(t *testing.T, socket string) string {
	t.Helper()
	front := filepath.Join(t.TempDir(), "front")
	listener, err := net.Listen("unix", front)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = listener.Close() })
	go func() {
		for {
			client, err := listener.Accept()
			if err != nil {
				return
			}
			volume, err := net.Dial("unix", socket)
			if err != nil {
				_ = client.Close()
				return
			}
			go func() { _, _ = io.Copy(volume, client); _ = volume.Close() }()
			go d.answer(client, volume)
		}
	}()
	return "nbd+unix:///?socket=" + front
}

func (d *detour) answer(client, volume net.Conn) {
	defer client.Close()
	type parcel struct {
		due     time.Time
		content []byte
	}
	way := make(chan parcel, 1024)
	go func() {
		defer close(way)
		for {
			buffer := make([]byte, 64<<10)
			length, err := volume.Read(buffer)
			if err != nil {
				return
			}
			way <- parcel{time.Now().Add(time.Duration(d.delay.Load())), buffer[:length]}
		}
	}()
	for each := range way {
		time.Sleep(time.Until(each.due))
		if _, err := client.Write(each.content); err != nil {
			return
		}
	}
}

// The volume itself takes 20 ms, and the way to it 40 ms more from one moment on.
func TestADelayThatChangesInTheMiddle(t *testing.T) {
	witness.JudgesTimes(t)
	t.Parallel()
	const first, second, change = 0.020, 0.060, 7.0
	socket := strings.TrimPrefix(kit(t, "--filter=delay", "memory", "64M", "rdelay=20ms"), "nbd+unix:///?socket=")
	witness.OnQuietMachine(t, func() (faults []string) {
		way, d := new(detour), newProgramDesk(t)
		address := way.to(t, socket)
		plan := planFile(t, "{operation: read, access: random, block: 4KiB, depth: 4, hold: 16s}")
		began := time.Now()
		timer := time.AfterFunc(time.Duration(change*float64(time.Second)),
			func() { way.delay.Store(int64(40 * time.Millisecond)) })
		defer timer.Stop()
		s := decode[session.Session](t, d.must("measure", address, "--plan", plan, "--json"))
		pass := s.Passes[0]
		at := change - s.Started.Sub(began).Seconds() - pass.StartedSeconds
		for _, c := range []struct{ from, to, want float64 }{{0, at - 1, first}, {at + 2, 16, second}} {
			var medians []float64
			for _, sample := range pass.Samples {
				if sample.TSeconds > c.from && sample.TSeconds <= c.to {
					medians = append(medians, sample.P50Seconds)
				}
			}
			if got := stat.Median(medians); !(math.Abs(got/c.want-1) <= 0.03) {
				faults = append(faults, fmt.Sprintf("between %.1f and %.1f s a read takes %.2f ms, not %.0f", c.from,
					c.to, got*1e3, c.want*1e3))
			}
		}
		found := slices.ContainsFunc(s.Findings, func(f session.Finding) bool {
			return f.FromSeconds > 0 &&
				math.Abs(f.FromSeconds-at) <= 1.5
		})
		if !found {
			faults = append(faults, fmt.Sprintf("the change at %.1f s is not found: %+v", at, s.Findings))
		}
		return faults
	})
}

func TestErrorsOfAVolumeAreCountedAndSurvived(t *testing.T) {
	t.Parallel()
	address := kit(t, "--filter=error", "memory", "64M", "error-pread=EIO", "error-pread-rate=1%")
	s := decode[session.Session](t, newProgramDesk(t).must("measure", address, "--plan", // 40 of 4000 reads fail
		planFile(t, "{operation: read, access: random, block: 64KiB, depth: 4, bytes: 250MiB, hold: 5m}"), "--json"))
	if pass := s.Passes[0]; s.State != session.Complete || pass.Errors == 0 || pass.Operations < 3800 ||
		pass.FirstError == "" {
		t.Errorf("%s with %d errors of %d operations, %q", s.State, pass.Errors, pass.Operations, pass.FirstError)
	}
}

func TestTheStandInHoldsItsLimits(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	address, _ := stood(t, d, "--iops", "2000", "--throughput", "60MB/s", "--latency", "2ms", "--unlimited")
	witness.OnQuietMachine(t, func() (faults []string) {
		s := decode[session.Session](t, d.must("measure", address, "--overwrite", "v", "--json", "--plan",
			planFile(t, "{operation: [read, write], access: random, block: 4KiB, depth: 32, hold: 2s}",
				"{operation: [read, write], access: sequential, block: 256KiB, depth: 8, hold: 2s}")))
		for _, pass := range s.Passes {
			got, want := pass.IOPS, 2000.0
			if pass.Block > 4096 {
				got, want = float64(pass.BytesPerSecond), 60e6
			}
			if !(got/want <= 1.02) { // too much is wrong on any machine
				t.Errorf("%s: %.0f of %.0f", pass.Label(), got, want)
			}
			if !(got/want >= 0.98) {
				faults = append(faults, fmt.Sprintf("%s: %.0f of %.0f", pass.Label(), got, want))
			}
		}
		return faults
	})
	free := decode[session.Session](t, d.must("measure", strings.Replace(address, "/v?", "/v-unlimited?", 1),
		"--plan", "quick-read", "--hold", "500ms", "--json"))
	if free.Passes[0].BytesPerSecond < 120e6 {
		t.Errorf("without limits it gives %v", free.Passes[0].BytesPerSecond)
	}
}

// Other clients of the protocol attach the stand-in, and find what was written.
func TestTheStandInServesOtherClients(t *testing.T) {
	t.Parallel()
	needs(t, "nbdcopy", "nbdinfo", "qemu-img")
	address, socket := stood(t, newProgramDesk(t), "--size", "8MiB", "--iops", "1000000", "--throughput", "10GB/s")
	image := filepath.Join(t.TempDir(), "image")
	content := []byte(strings.Repeat("bladderwrack ", 8<<20/13+1))[:8<<20]
	if err := os.WriteFile(image, content, 0o600); err != nil {
		t.Fatal(err)
	}
	run := func(name string, arguments ...string) string {
		t.Helper()
		out, err := exec.Command(name, arguments...).CombinedOutput()
		if err != nil {
			t.Fatalf("%s: %v\n%s", name, err, out)
		}
		return string(out)
	}
	wants(t, "nbdinfo", run("nbdinfo", address), "export-size: 8388608", "can_flush: true", "can_multi_conn: true",
		"structured packets")
	wants(t, "nbdinfo --list", run("nbdinfo", "--list", "nbd+unix:///?socket="+socket), `export="v"`)
	run("nbdcopy", image, address)
	back := filepath.Join(t.TempDir(), "back")
	run("nbdcopy", address, back)
	if got, err := os.ReadFile(back); err != nil || string(got) != string(content) {
		t.Errorf("what comes back differs, %v", err)
	}
	wants(t, "qemu-img", run("qemu-img", "compare", "-f", "raw", "-F", "raw", image, address), "identical")
}

// A server that is killed is a dropout; what was measured before is kept, and once
// it is back the plan goes on.
func TestAServerThatIsKilledAndComesBack(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	socket := filepath.Join(t.TempDir(), "s")
	start := func() *exec.Cmd {
		command := d.command("standin", "volume", "--listen", socket, "--export", "v", "--size", "64MiB")
		if err := command.Start(); err != nil {
			t.Fatal(err)
		}
		return command
	}
	server := start()
	defer func() { _ = server.Process.Kill(); _ = server.Wait() }()
	for range 100 {
		if _, err := os.Stat(socket); err == nil {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	command := d.command("measure", "nbd+unix:///v?socket="+socket, "--json", "--plan",
		planFile(t, "{operation: read, access: random, block: 4KiB, depth: [4, 8, 16], hold: 2s}"))
	var back sync.WaitGroup
	command.Stderr = &trigger{when: "pass 1/3", do: func() {
		back.Go(func() {
			time.Sleep(500 * time.Millisecond) // into the second pass
			_ = server.Process.Kill()
			_ = server.Wait()
			_ = os.Remove(socket)
			time.Sleep(2 * time.Second)
			server = start()
		})
	}}
	got := d.finish(command)
	back.Wait()
	if got.code != 0 {
		t.Fatalf("exit %d: %s", got.code, got.stderr)
	}
	s := decode[session.Session](t, got.stdout)
	kinds := map[string]bool{}
	for _, e := range s.Events {
		kinds[e.Kind] = true
	}
	if !kinds[event.Dropout] || !kinds[event.Return] || len(s.Passes) < 3 || s.Passes[0].CutShort ||
		!strings.Contains(kindsOf(s.Findings), "dropout") {
		t.Errorf("events %+v, %d passes, findings %s", s.Events, len(s.Passes), kindsOf(s.Findings))
	}
}

func TestAScriptOfTheStandIn(t *testing.T) {
	t.Parallel()
	script := filepath.Join(t.TempDir(), "s.yaml")
	source := "script:\n  - {at: 2s, iops: 500}\n  - {at: 4s, errors: 3}\n"
	if err := os.WriteFile(script, []byte(source), 0o600); err != nil {
		t.Fatal(err)
	}
	d := newProgramDesk(t)
	address, _ := stood(t, d, "--iops", "1000", "--script", script)
	s := decode[session.Session](t,
		d.must("measure", address, "--plan", planFile(t, "{operation: read, access: random, block: 4KiB, depth: 8, "+
			"hold: 6s}"), "--json"))
	last := s.Passes[0].Samples[len(s.Passes[0].Samples)-1]
	if s.Passes[0].Errors != 3 || !(math.Abs(last.IOPS/500-1) <= 0.1) {
		t.Errorf("%d errors, %v IOPS at the end", s.Passes[0].Errors, last.IOPS)
	}
	for _, bad := range [][]string{{"--iops", "no"}, {"--burst", "100"}, {"--size", "1"}, {"--script", "none.yaml"},
		{"--jitter", "x"}} {
		if got := d.run(append([]string{"standin", "volume"}, bad...)...); got.code != 2 {
			t.Errorf("%q: exit %d, %s", bad, got.code, got.stderr)
		}
	}
}

// A bucket in real time, and five at night: size and refill are found to within 5 %.
func TestCreditsOfTheStandIn(t *testing.T) {
	witness.JudgesTimes(t)
	t.Parallel()
	book := filepath.Join(t.TempDir(), "bench.yaml")
	source := "volumes:\n  v: {network: ethernet 10g, iops: 1000, throughput: 1GB/s}\n"
	if err := os.WriteFile(book, []byte(source), 0o600); err != nil {
		t.Fatal(err)
	}
	plan := filepath.Join(t.TempDir(), "plan.yaml")
	source = "plan: credits\nsteps:\n  - sustain: {operation: read, access: random, block: 4KiB, depth: 32, for: 40s}\n"
	if err := os.WriteFile(plan, []byte(source), 0o600); err != nil {
		t.Fatal(err)
	}
	witness.OnQuietMachine(t, func() []string {
		faults := make([][]string, night.Tries(t, 5))
		var group sync.WaitGroup
		for number := range faults {
			refill, burst := 300+100*float64(number), 900+250*float64(number)
			credits := (burst - refill) * (10 + float64(number))
			d := newProgramDesk(t)
			address, _ := stood(t, d, "--iops", fmt.Sprint(refill), "--throughput", "1GB/s", "--burst",
				fmt.Sprint(burst), "--credits", fmt.Sprint(credits))
			group.Go(func() {
				got := d.finish(d.command("measure", address, "--plan", plan, "--bench", book, "--through", "v",
					"--json"))
				faults[number] = offBucket(t, got, credits, refill)
			})
		}
		group.Wait()
		return slices.Concat(faults...)
	})
}

// offBucket says how a found bucket differs from the true one.
func offBucket(t *testing.T, got outcome, credits, refill float64) []string {
	if got.code != 0 {
		t.Errorf("exit %d: %s", got.code, got.stderr)
		return nil
	}
	for _, f := range decode[session.Session](t, got.stdout).Findings {
		if f.Kind != "credit-exhausted" {
			continue
		}
		size, _ := f.Evidence.Fact("bucket_operations").(float64)
		earned, _ := f.Evidence.Fact("refill_operations_per_second").(float64)
		if !(math.Abs(size/credits-1) <= 0.05) || !(math.Abs(earned/refill-1) <= 0.05) {
			return []string{fmt.Sprintf("a bucket of %.0f that earns %.0f a second is found to hold %.0f and to "+
				"earn %.0f", credits, refill, size, earned)}
		}
		return nil
	}
	return []string{fmt.Sprintf("the bucket of %.0f is not found", credits)}
}

// Two hosts at once on one volume are put together.
func TestMergeTwoHostsOnOneVolume(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	address, _ := stood(t, d, "--iops", "1000", "--throughput", "1GB/s")
	plan := planFile(t, "{operation: read, access: random, block: 4KiB, depth: 8, hold: 6s}")
	names, tries := []string{"one", "other"}, 0
	witness.OnQuietMachine(t, func() (faults []string) {
		tries++
		names = []string{fmt.Sprint("one-", tries), fmt.Sprint("other-", tries)}
		var group sync.WaitGroup
		for _, name := range names {
			group.Go(func() {
				if got := d.finish(d.command("measure", address, "--plan", plan, "--name", name)); got.code != 0 {
					t.Errorf("%s: %s", name, got.stderr)
				}
			})
		}
		group.Wait()
		both := fmt.Sprint("both-", tries)
		wants(t, "merge", d.must("logbook", "merge", names[0], names[1], "--name", both), "2 hosts at once",
			"shared with a fairness of 1.00", "not measured")
		merged := decode[session.Session](t, d.must("logbook", "show", both, "--json"))
		var sum float64
		for _, member := range merged.Contentions[0].Members {
			sum += member.Together.IOPS
		}
		if samples := merged.Contentions[0].Samples; len(samples) < 3 || len(samples[0].Each) != 2 {
			t.Errorf("over time they get %+v", samples)
		}
		if !(math.Abs(sum/1000-1) <= 0.05) {
			faults = append(faults, fmt.Sprintf("two hosts get %.0f IOPS of a volume that has 1000", sum))
		}
		return faults
	})
	if got := d.run("logbook", "merge", names[0], names[1], "--shift", names[0]+"=+1h"); got.code != 1 ||
		!strings.Contains(got.stderr, "did not run at the same time") {
		t.Errorf("an hour apart: %d, %s", got.code, got.stderr)
	}
	if got := d.run("logbook", "merge", names[0], names[1], "--shift", "none=+1h"); got.code != 2 {
		t.Errorf("a shift of no session: %d, %s", got.code, got.stderr)
	}
}

// A volume over TLS is trusted only if its authority is named, and its certificate is
// right.
func TestAVolumeOverTLS(t *testing.T) {
	t.Parallel()
	needs(t, "nbdkit", "openssl")
	folder, socket := t.TempDir(), filepath.Join(t.TempDir(), "s")
	for _, arguments := range [][]string{
		{"req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-keyout", "ca-key.pem", "-out",
			"ca-cert.pem", "-subj", "/CN=tidewrack"},
		{"req", "-newkey", "rsa:2048", "-nodes", "-keyout", "server-key.pem", "-out", "server.csr", "-subj",
			"/CN=localhost", "-addext", "subjectAltName=DNS:localhost"},
		{"x509", "-req", "-in", "server.csr", "-CA", "ca-cert.pem", "-CAkey", "ca-key.pem", "-CAcreateserial",
			"-days", "2", "-out", "server-cert.pem", "-copy_extensions", "copy"},
	} {
		command := exec.Command("openssl", arguments...)
		command.Dir = folder
		if out, err := command.CombinedOutput(); err != nil {
			t.Skipf("no certificate can be made here: %s", out)
		}
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	port := listener.Addr().(*net.TCPAddr).Port
	_ = listener.Close()
	background(t, socket, exec.Command("nbdkit", "-f", "--exit-with-parent", "-P", socket, "-p", fmt.Sprint(port),
		"-i", "127.0.0.1",
		"--tls=require", "--tls-certificates="+folder, "memory", "16M"))
	d, address := newProgramDesk(t), fmt.Sprintf("nbds://localhost:%d/", port)
	d.must("measure", address, "--plan", "quick-read", "--hold", "100ms", "--authority",
		filepath.Join(folder, "ca-cert.pem"))
	for want, arguments := range map[string][]string{
		"--authority": {"measure", address, "--plan", "quick-read"},
		"not accepted": {"measure", strings.Replace(address, "localhost", "127.0.0.1", 1), "--plan", "quick-read",
			"--authority", filepath.Join(folder, "ca-cert.pem")},
		"asks for TLS": {"measure", strings.Replace(address, "nbds", "nbd", 1), "--plan", "quick-read"},
		"no certificat": {"measure", address, "--plan", "quick-read", "--authority",
			filepath.Join(folder, "server.csr")},
	} {
		if got := d.run(arguments...); got.code == 0 || !strings.Contains(got.stderr, want) {
			t.Errorf("%q: exit %d, %q, want %q in it", arguments, got.code, got.stderr, want)
		}
	}
}
