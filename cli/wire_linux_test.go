package cli_test

import (
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// twoHosts makes two hosts in namespaces of the kernel with a cable between them, whose
// ends may send so many bits a second each, and gives what runs a program on either. The
// first has the address 10.98.0.1.
func twoHosts(t *testing.T, megabits [2]int) (near, far []string) {
	t.Helper()
	needs(t, "ip", "tc")
	if os.Getuid() != 0 {
		t.Skip("only root makes namespaces of the network")
	}
	names := [2]string{fmt.Sprintf("gauge-%d-a", os.Getpid()), fmt.Sprintf("gauge-%d-b", os.Getpid())}
	do := func(line string) {
		t.Helper()
		words := strings.Fields(line)
		if out, err := exec.Command(words[0], words[1:]...).CombinedOutput(); err != nil {
			t.Skipf("this kernel does not let a network be made (%s): %v: %s", line, err, out)
		}
	}
	for _, name := range names {
		do("ip netns add " + name)
		t.Cleanup(func() { _ = exec.Command("ip", "netns", "delete", name).Run() })
	}
	do(fmt.Sprintf("ip link add quay netns %s type veth peer name quay netns %s", names[0], names[1]))
	for i, name := range names {
		do(fmt.Sprintf("ip -n %s address add 10.98.0.%d/24 dev quay", name, i+1))
		do(fmt.Sprintf("ip -n %s link set quay up", name))
		do(fmt.Sprintf("ip -n %s link set lo up", name))
		if megabits[i] > 0 {
			do(fmt.Sprintf("tc -n %s qdisc add dev quay root tbf rate %dmbit burst 128kb latency 40ms", name, megabits[i]))
		}
	}
	within := func(name string) []string { return []string{"ip", "netns", "exec", name} }
	return within(names[0]), within(names[1])
}

// otherEnd starts the other end of a wire on a host, until the test ends.
func otherEnd(t *testing.T, host []string, arguments ...string) *exec.Cmd {
	t.Helper()
	d := desk{t: t, launcher: host}
	command := d.command(append([]string{"standin", "wire"}, arguments...)...)
	out, err := command.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := command.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = command.Process.Kill()
		_ = command.Wait()
	})
	line := make([]byte, 256)
	if read, err := out.Read(line); err != nil || !strings.Contains(string(line[:read]), "ready: measure wire://") {
		t.Fatalf("the other end says %q, %v", line[:read], err)
	}
	go func() { _, _ = io.Copy(io.Discard, out) }()
	return command
}

// sent is what a host has sent over its cable, by the kernel's count.
func sent(t *testing.T, host []string) float64 {
	t.Helper()
	words := append(host[1:len(host):len(host)], "cat", "/sys/class/net/quay/statistics/tx_bytes")
	out, err := exec.Command(host[0], words...).Output()
	if err != nil {
		t.Fatal(err)
	}
	count, err := strconv.ParseFloat(strings.TrimSpace(string(out)), 64)
	if err != nil {
		t.Fatal(err)
	}
	return count
}

// goodput is what data gets of a cable whose frames hold 1448 bytes of it, and 66 of
// Ethernet, IPv4 and TCP with timestamps, as the kernel's queue counts them.
const goodput = 1448.0 / 1514

// The kernel holds each way of a cable to a rate of its own, and counts what goes over it.
func TestTheWireAlone(t *testing.T) {
	t.Parallel()
	const inwards, outwards = 160, 80 // Mbit/s
	far, near := twoHosts(t, [2]int{inwards, outwards})
	otherEnd(t, far, "--listen", "10.98.0.1:10808")
	d := newProgramDesk(t)
	d.launcher = near
	in, out := inwards*1e6/8*goodput, outwards*1e6/8*goodput
	plan := filepath.Join(t.TempDir(), "wire.yaml")
	const sweep = "  - sweep: {access: sequential, block: 128KiB, depth: 32, hold: 6s, "
	steps := sweep + "operation: [read, write]}\n" + sweep + "operation: read, workers: 4}\n" +
		sweep + "operation: mixed, write-share: 50%}\n"
	if err := os.WriteFile(plan, []byte("plan: wire\nsteps:\n"+steps), 0o600); err != nil {
		t.Fatal(err)
	}
	// Both ways at once, as many bytes come in as go out, and what comes in is acknowledged on
	// the way out: with nothing at the least, and with 66 bytes for two segments at the most.
	want, least := []float64{in, out, in, 2 * out}, []float64{in, out, in, 2 * out / (1 + 66.0/2/1514)}
	var s session.Session
	// Where the machine stood still as a pass began, what came until then lay in buffers.
	witness.Again(t, func() string {
		before := sent(t, far)
		s = decode[session.Session](t, d.must("measure", "wire://10.98.0.1", "--plan", plan, "--json"))
		received := sent(t, far) - before
		if len(s.Passes) != len(want) {
			t.Fatalf("%d passes, want %d", len(s.Passes), len(want))
		}
		if read := float64(s.Moved[0].ReadBytes); !(received >= read) || !(received <= read*1.09) {
			t.Errorf("it read %.0f bytes, and the kernel counts %.0f sent to it", read, received)
		}
		for i, p := range s.Passes {
			if got := float64(p.BytesPerSecond); !(got <= 1.02*want[i]) || !(got >= 0.98*least[i]) {
				return fmt.Sprintf("%s is %.0f bytes a second, the kernel lets %.0f through", p.Label(), got, want[i])
			}
		}
		return ""
	})
	if last := s.Chain.Hops[len(s.Chain.Hops)-1].Name; last != "the other end's quay" {
		t.Errorf("the chain ends at %q", last)
	}
	for _, f := range s.Findings {
		if f.Severity == session.Fault {
			t.Errorf("a sound network has the fault %s: %s", f.Kind, f.Summary)
		}
	}
}

// What cannot be the other end is named before anything is measured.
func TestNoOtherEnd(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Skip("nothing can be listened to here: ", err)
	}
	defer silent.Close()
	go func() {
		for {
			c, err := silent.Accept()
			if err != nil {
				return
			}
			_, _ = c.Write([]byte("220 welcome to a server of mail\r\n"))
			_ = c.Close()
		}
	}()
	volume, socket := net.Listener(nil), ""
	if volume, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	socket = volume.Addr().String()
	_ = volume.Close()
	served := d.command("standin", "volume", "--listen", socket, "--export", "opengauge-wire-7")
	if err := served.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = served.Process.Kill(); _ = served.Wait() }()
	if err := awaitListener(socket); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ address, want string }{
		{"wire://" + socket, "is a wire of version \"7\", and this is version 1"},
		{"wire://" + silent.Addr().String(), "start opengauge standin wire"},
		{"wire://127.0.0.1:1", "start opengauge standin wire"},
		{"wire://", "is not the other end of a wire; write wire://HOST"},
		{"wire://a/b", "is not the other end of a wire"},
	} {
		if got := d.run("measure", c.address); got.code == 0 || !strings.Contains(got.stderr, c.want) {
			t.Errorf("%s: exit %d, %s; want %q", c.address, got.code, got.stderr, c.want)
		}
	}
}

// The other end dies in mid-pass: what was measured is kept, and nothing waits for ever.
func TestTheOtherEndDies(t *testing.T) {
	t.Parallel()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Skip("nothing can be listened to here: ", err)
	}
	address := listener.Addr().String()
	_ = listener.Close()
	end := otherEnd(t, nil, "--listen", address)
	d := newProgramDesk(t)
	go func() {
		for begun := moved(24 << 20); !begun(end.Process.Pid); { // far more than before a pass counts
			time.Sleep(5 * time.Millisecond)
		}
		_ = end.Process.Kill()
	}()
	got := d.run("measure", "wire://"+address, "--hold", "1h", "--return-within", "2s", "--json")
	if got.code != 1 {
		t.Fatalf("exit %d: %s", got.code, got.stderr)
	}
	s := decode[session.Session](t, outcome{stdout: d.must("logbook", "show", "latest", "--json")}.stdout)
	if s.State != session.Failed || len(s.Passes) == 0 || s.Passes[0].Bytes == 0 {
		t.Errorf("the session is %s with %d passes", s.State, len(s.Passes))
	}
}
