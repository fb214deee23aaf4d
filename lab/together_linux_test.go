package lab

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/lab/night"
	"opengauge/lab/witness"
)

// Two machines whose clocks are an hour apart begin together, and their sessions are put together by
// the offsets that they measured.
func TestHostsWhoseClocksAreAnHourApart(t *testing.T) {
	night.Only(t)
	kernel, initramfs := image(t)
	server, err := witness.NewPostgres("127.0.0.1")
	if err != nil {
		t.Skip("no PostgreSQL server here (make tools): ", err)
	}
	t.Cleanup(server.Remove)
	for _, statement := range []string{"CREATE ROLE " + witness.EmulatedAccount + " LOGIN",
		"CREATE DATABASE lab OWNER " + witness.EmulatedAccount} {
		if _, err := server.Ask("postgres", statement); err != nil {
			t.Fatal(err)
		}
	}
	authority, err := os.ReadFile(server.Authority())
	if err != nil {
		t.Fatal(err)
	}
	address := fmt.Sprintf("postgres://%s@%s:%d/lab?sslrootcert=/authority.pem", witness.EmulatedAccount,
		witness.Emulated, server.Port)
	root := servers(t)
	var waits []func() outcome
	for i, ahead := range []string{"now", "1 hour"} {
		m := bootWith(t, kernel, initramfs, []string{"-drive", "if=none,id=root,format=raw,snapshot=on,file=" + root,
			"-device", "virtio-blk-pci,drive=root", "-netdev", "user,id=net", "-device", "virtio-net-pci,netdev=net"})
		h := twoHosts{m}
		h.must("set -e\nip address add 10.0.2.15/24 dev eth0\nip link set eth0 up\nip link set lo up\n" +
			"date -s \"" + ahead + "\" >/dev/null\nhostname " + fmt.Sprintf("desk-%d", i))
		if got := m.run(map[string]string{"/authority.pem": string(authority), "/reads.yaml": "plan: reads\n" +
			"steps:\n  - sweep: {operation: read, access: random, block: 4KiB, depth: 1, hold: 3s}\n"},
			"logbook", "prepare", "--logbook", address); got.Code != 0 {
			t.Fatalf("prepare: %s", got.Stderr)
		}
		waits = append(waits, m.start(nil, "measure", "/tmp", "--size", "1MiB", "--plan", "/reads.yaml", "--together",
			"hours", "--hosts", "2", "--json", "--logbook", address))
	}
	for i, wait := range waits {
		if got := wait(); got.Code != 0 {
			t.Fatalf("host %d: exit %d\n%s", i, got.Code, got.Stderr)
		}
	}
	checkHours(t, read(t, server))
}

// read gives the sessions of the lab's logbook by their hosts, and the merged one under "".
func read(t *testing.T, server *witness.Postgres) map[string]session.Session {
	t.Helper()
	program := filepath.Join(t.TempDir(), "opengauge")
	write(t, program, built(t, t.TempDir(), "opengauge/cmd/opengauge"))
	if err := os.Chmod(program, 0o700); err != nil {
		t.Fatal(err)
	}
	command := exec.Command(program, "logbook", "export", "--all", "--logbook", server.Address("keeper", "lab"))
	out, err := command.Output()
	if err != nil {
		t.Fatal(err)
	}
	var document struct{ Sessions []session.Session }
	if err := json.Unmarshal(out, &document); err != nil {
		t.Fatal(err)
	}
	found := map[string]session.Session{}
	for _, s := range document.Sessions {
		found[s.Together.Host] = s
	}
	return found
}

func checkHours(t *testing.T, found map[string]session.Session) {
	t.Helper()
	offsets := map[string]float64{}
	for host, s := range found {
		if host != "" {
			offsets[host] = s.Together.ClockOffsetSeconds
		}
	}
	if len(offsets) != 2 {
		t.Fatalf("the offsets are %v", offsets)
	}
	// An emulated machine's clock is seconds off by itself.
	if apart := offsets["desk-0"] - offsets["desk-1"]; !(math.Abs(apart-3600) <= 60) {
		t.Errorf("the clocks are an hour apart, and the offsets are %v", offsets)
	}
	if raw := found["desk-1"].Started.Sub(found["desk-0"].Started); !(raw > 50*time.Minute) {
		t.Errorf("by their own clocks the sessions are only %s apart", raw)
	}
	merged := found[""]
	if len(merged.Contentions) != 1 || len(merged.Contentions[0].Members) != 2 {
		t.Errorf("the merged session has %d contentions", len(merged.Contentions))
	}
	for _, host := range []string{"desk-0", "desk-1"} {
		s := found[host]
		if len(s.Together.Starts) != 1 || !(s.Together.Starts[0].LateSeconds >= 0) || s.Together.WithinSeconds <= 0 ||
			!strings.Contains(s.Name, "of 2") {
			t.Errorf("%s: %+v", host, s.Together)
		}
	}
}
