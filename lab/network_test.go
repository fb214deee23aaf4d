package lab

import (
	"archive/tar"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"opengauge/core/bench/link"
	"opengauge/core/bench/network"
	"opengauge/core/bench/survey"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/lab/night"
	"opengauge/lab/witness"
)

// serverPackages are what the guest's other host runs: Debian's own servers and tools.
const serverPackages = "iproute2,kmod,nfs-kernel-server,samba,iw,hostapd,wpasupplicant,mount,procps"

// networkModules are the folders of Debian's modules that a network takes.
var networkModules = regexp.MustCompile(`/kernel/(fs/(nfs|nfsd|lockd|smb|nfs_common|fscache|netfs|nls|grace)[/.]|` +
	`net/|crypto/|lib/|arch/x86/crypto/|fs/[a-z_]+\.ko|security/keys/|drivers/virtio/|` +
	`drivers/net/(bonding/|[a-z_]+\.ko|wireless/(virtual/)?mac80211_hwsim))`)

// servers makes an image of a Debian with real servers, this program and the kernel's
// modules. It is kept beside the kernel for the next run.
func servers(t *testing.T) string {
	t.Helper()
	if _, err := exec.LookPath("debootstrap"); err != nil {
		t.Skip("debootstrap is not here (make tools)")
	}
	packages, _ := filepath.Glob("../.lab/linux-image-*.deb")
	base, err := filepath.Abs("../.lab/servers.tar")
	if err != nil {
		t.Fatal(err)
	}
	root := t.TempDir()
	do := func(name string, arguments ...string) {
		t.Helper()
		if out, err := exec.Command(name, arguments...).CombinedOutput(); err != nil {
			t.Skipf("%s %s: %v: %s", name, strings.Join(arguments, " "), err, tailOf(out))
		}
	}
	if _, err := os.Stat(base); err != nil {
		do("debootstrap", "--variant=minbase", "--include="+serverPackages, "bookworm", root)
		for _, waste := range []string{"usr/share/doc", "usr/share/man", "usr/share/locale", "var/cache", "var/lib/apt",
			"usr/lib/python3", "usr/lib/python3.11"} {
			_ = os.RemoveAll(filepath.Join(root, waste))
		}
		do("tar", "-C", root, "-cf", base+".new", ".")
		if err := os.Rename(base+".new", base); err != nil {
			t.Fatal(err)
		}
	} else {
		do("tar", "-C", root, "-xf", base)
	}
	release := unpackModules(t, packages[len(packages)-1], root)
	do("chroot", root, "depmod", release)
	write(t, filepath.Join(root, "usr/bin/opengauge"), built(t, t.TempDir(), "opengauge/cmd/opengauge"))
	if err := os.Chmod(filepath.Join(root, "usr/bin/opengauge"), 0o755); err != nil {
		t.Fatal(err)
	}
	image := filepath.Join(t.TempDir(), "servers.ext4")
	write(t, image, nil)
	if err := os.Truncate(image, 1400<<20); err != nil {
		t.Fatal(err)
	}
	do("mkfs.ext4", "-q", "-F", "-E", "lazy_itable_init=0,lazy_journal_init=0", "-d", root, image)
	return image
}

func tailOf(out []byte) string {
	text := strings.TrimSpace(string(out))
	return text[max(len(text)-400, 0):]
}

// unpackModules puts the modules of a network into a system, and gives the kernel's release.
func unpackModules(t *testing.T, kernelPackage, root string) (release string) {
	t.Helper()
	eachPacked(t, kernelPackage, func(header *tar.Header, packed io.Reader) {
		name := path.Clean(header.Name)
		order := strings.HasPrefix(path.Base(name), "modules.")
		wanted := order || networkModules.MatchString(name)
		if !strings.Contains(name, "lib/modules/") || header.Typeflag != tar.TypeReg || !wanted {
			return
		}
		release = strings.Split(name[strings.Index(name, "lib/modules/")+len("lib/modules/"):], "/")[0]
		to := filepath.Join(root, "usr", name[strings.Index(name, "lib/modules/"):])
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			t.Fatal(err)
		}
		content, err := io.ReadAll(packed)
		if err != nil {
			t.Fatal(err)
		}
		write(t, to, content)
	})
	return release
}

// twoHosts is a machine with a second host in it, over cables of 20 Mbit/s.
type twoHosts struct{ *machine }

// shell runs a script in the Debian.
func (h twoHosts) shell(script string) outcome {
	h.t.Helper()
	return h.ask(map[string]any{"inside": "/net", "script": script,
		"mount": []map[string]string{{"device": "/dev/vda", "place": "/net"}}})()
}

// must runs a script that has to succeed.
func (h twoHosts) must(script string) string {
	h.t.Helper()
	got := h.shell(script)
	if got.Code != 0 {
		h.t.Fatalf("%s\nexit %d: %s%s", script, got.Code, got.Stdout, got.Stderr)
	}
	return got.Stdout
}

// setUp makes the other host and its servers: "srv", 10.97.0.2 at the end of a cable.
const setUp = `set -e
modprobe -a nfsv4 nfsd cifs veth sch_tbf sch_netem bonding 8021q bridge dummy
modprobe -a hmac md5 sha256_generic sha512_generic cmac aes_generic ccm gcm ctr ecb nls_utf8 ghash-generic
ip netns add srv
ip link set eth1 netns srv
ip address add 10.97.0.1/24 dev eth0; ip link set eth0 up; ip link set lo up
ip -n srv address add 10.97.0.2/24 dev eth1; ip -n srv link set eth1 up; ip -n srv link set lo up
tc qdisc add dev eth0 root tbf rate 20mbit burst 64kb latency 40ms
tc -n srv qdisc add dev eth1 root tbf rate 20mbit burst 64kb latency 40ms
mkdir -p /var/cache/samba /export /mnt/nfs /mnt/smb /etc/exports.d /var/lib/nfs /run/samba /var/log/samba
ip netns exec srv sh -e <<'END'
mount -t nfsd nfsd /proc/fs/nfsd
touch /var/lib/nfs/etab /var/lib/nfs/rmtab
exportfs -o rw,no_root_squash,insecure,no_subtree_check,fsid=0 '*:/export'
rpc.mountd --manage-gids
rpc.nfsd --grace-time 10 --lease-time 10 --no-nfs-version 3 4
cat >/etc/samba/lab.conf <<'CONF'
[global]
  server role = standalone server
  smb ports = 445
  disable spoolss = yes
[songs]
  path = /export
  read only = no
CONF
printf 'lab\nlab\n' | smbpasswd -c /etc/samba/lab.conf -a -s root
smbd -D -s /etc/samba/lab.conf
END
for i in $(seq 60); do ip netns exec srv ss -ltn | grep -q :445 && break; sleep 1; done
mount -i -t nfs4 -o addr=10.97.0.2,clientaddr=10.97.0.1,vers=4.2 10.97.0.2:/ /mnt/nfs
mount -i -t cifs -o ip=10.97.0.2,username=root,password=lab,vers=3.1.1 //10.97.0.2/songs /mnt/smb || { dmesg | tail; exit 1; }
ls /mnt/nfs /mnt/smb
`

// bootTwoHosts starts the machine, or skips and says what it takes.
func bootTwoHosts(t *testing.T) twoHosts {
	t.Helper()
	kernel, initramfs := image(t)
	devices := []string{"-drive", "if=none,id=root,format=raw,file=" + servers(t),
		"-device", "virtio-blk-pci,drive=root"}
	for i := range 4 { // eth0 and eth1 on one cable, eth2 and eth3 on another
		devices = append(devices, "-netdev", fmt.Sprintf("hubport,id=port%d,hubid=%d", i, i/2),
			"-device", fmt.Sprintf("virtio-net-pci,netdev=port%d,speed=20,duplex=full,mac=52:54:00:00:00:0%d", i, i+1))
	}
	return twoHosts{bootWith(t, kernel, initramfs, devices)}
}

func TestNetworkOfTwoHosts(t *testing.T) {
	night.Only(t)
	h := bootTwoHosts(t)
	h.must(setUp)
	t.Run("folders that real servers keep", func(t *testing.T) { checkFolders(t, h) })
	t.Run("a folder over a limited link", func(t *testing.T) { checkLimited(t, h) })
	t.Run("a delay that is added", func(t *testing.T) { checkDelay(t, h) })
	t.Run("packets that are lost", func(t *testing.T) { checkLoss(t, h) })
	t.Run("a bond, a number and a bridge", func(t *testing.T) { checkStack(t, h) })
	t.Run("a wireless link", func(t *testing.T) { checkWireless(t, h) })
	t.Run("a server that hangs", func(t *testing.T) { checkHang(t, h) })
}

func decoded[T any](t *testing.T, text string) T {
	t.Helper()
	return decode[T](t, outcome{Stdout: text})
}

func checkFolders(t *testing.T, h twoHosts) {
	document := decoded[struct{ Folders []survey.Served }](t, h.must("opengauge survey --json"))
	found := map[string]survey.Served{}
	for _, f := range document.Folders {
		found[f.At] = f
	}
	for at, want := range map[string]struct{ title, standard string }{
		"/mnt/nfs": {"nfs 4.2 from 10.97.0.2: /", "nfs 4.2"},
		"/mnt/smb": {"smb 3.1.1 from 10.97.0.2: /songs", "smb 3.1.1"},
	} {
		f := found[at]
		if f.Title() != want.title || f.Interface != "eth0" || len(f.Hops) != 2 {
			t.Errorf("%s is %s over %s, hops %+v", at, f.Title(), f.Interface, f.Hops)
			continue
		}
		if f.Hops[0].Standard != "ethernet 20m" || f.Hops[1].Name != "10.97.0.2" || f.Hops[1].Standard != want.standard {
			t.Errorf("%s is behind %+v", at, f.Hops)
		}
	}
}

// sweep is a plan of one sequential pass.
func sweep(operation string) string {
	return fmt.Sprintf("cat >/tmp/plan.yaml <<'END'\nplan: lab\nsteps:\n  - sweep: {operation: %s, access: sequential, "+
		"block: 128KiB, depth: 16, hold: 6s}\nEND\n", operation)
}

func checkLimited(t *testing.T, h twoHosts) {
	for _, at := range []string{"/mnt/nfs", "/mnt/smb"} {
		// A machine that stands still now and then does less than the link lets it, and never more.
		witness.Again(t, func() string {
			s := decoded[session.Session](t, h.must(sweep("[read, write]")+"opengauge measure "+at+
				" --size 16MiB --plan /tmp/plan.yaml --json"))
			return limitedFault(t, at, s)
		})
	}
}

// limitedFault says what a busy machine may be to blame for, once; the rest fails the test.
func limitedFault(t *testing.T, at string, s session.Session) string {
	t.Helper()
	if len(s.Passes) != 2 {
		t.Fatalf("%s: %d passes", at, len(s.Passes))
	}
	want := map[string]string{"/mnt/nfs": "nfs 4.2", "/mnt/smb": "smb 3.1.1"}[at]
	if !strings.HasPrefix(s.Environment.Server, want) {
		t.Errorf("%s is on %q", at, s.Environment.Server)
	}
	slow := ""
	for _, p := range s.Passes {
		// The kernel lets 20 Mbit/s of frames through, of which data and the protocol's own
		// headers get 1448 of 1514 bytes.
		most := 20e6 / 8 * 1448 / 1514
		least := map[string]float64{"/mnt/nfs": 0.8, "/mnt/smb": 0.1}[at] // its server signs, on an emulated processor
		rate := float64(p.BytesPerSecond)
		said := fmt.Sprintf("%s: %s is %.2f MB/s, and the link lets %.2f through", at, p.Label(), rate/1e6, most/1e6)
		if !(rate <= most*1.02) {
			t.Error(said)
		}
		if !(rate >= most*least) {
			slow = said
		}
		if grown := p.Link.Growth(); grown[link.ReceivedBytes+" eth0"]+grown[link.SentBytes+" eth0"] < int64(p.Bytes) {
			t.Errorf("%s: eth0 counts %v", at, grown)
		}
	}
	reached := s.Passes[0].BytesPerSecond > 2.3e6 || s.Passes[1].BytesPerSecond > 2.3e6
	if f, ok := kinds(s)["link-bound"]; ok && !strings.Contains(f.Summary, "eth0") || ok && !reached {
		t.Errorf("%s: the limit is reached: %t, and named: %+v", at, reached, f)
	} else if reached && !ok {
		slow = fmt.Sprintf("%s: the link is the limit, and it finds %+v", at, s.Findings)
	}
	if at != "/mnt/nfs" {
		return slow
	}
	if grown := s.Passes[0].Link.Growth(); grown[link.Requests+" "+at] < 100 || grown[link.RoundTrips+" "+at] <= 0 {
		t.Errorf("the protocol counts %v", grown)
	}
	if !reached {
		slow = fmt.Sprintf("the link is not the limit of NFS: %v and %v", s.Passes[0].BytesPerSecond,
			s.Passes[1].BytesPerSecond)
	}
	return slow
}

// trip is the middle round trip of a wire at rest, in seconds.
func trip(t *testing.T, h twoHosts) (float64, session.Session) {
	t.Helper()
	s := decoded[session.Session](t, h.must("cat >/tmp/wire.yaml <<'END'\nplan: wire\nsteps:\n  - rest: {for: 6s}\n"+
		"  - sweep: {operation: read, access: sequential, block: 128KiB, depth: 16, hold: 6s}\nEND\n"+
		"opengauge measure wire://10.97.0.2 --plan /tmp/wire.yaml --json"))
	var trips []float64
	for _, sample := range s.Rests[0].Samples {
		if trip, ok := sample.Readings["wire_round_trip_seconds"]; ok {
			trips = append(trips, trip)
		}
	}
	if len(trips) < 3 {
		t.Fatalf("round trips at rest are %v of %d samples", trips, len(s.Rests[0].Samples))
	}
	return stat.Median(trips), s
}

func checkDelay(t *testing.T, h twoHosts) {
	h.must("ip netns exec srv setsid opengauge standin wire --listen 10.97.0.2:10808 >/tmp/wire.log 2>&1 & sleep 2")
	witness.Again(t, func() string {
		before, _ := trip(t, h)
		h.must("tc qdisc replace dev eth0 root netem delay 50ms")
		after, _ := trip(t, h)
		h.must("tc qdisc replace dev eth0 root tbf rate 20mbit burst 64kb latency 40ms")
		if added := after - before; !(math.Abs(added/0.050-1) <= 0.05) {
			return fmt.Sprintf("of 50 ms that are added it sees %.2f ms", added*1000)
		}
		return ""
	})
}

func checkLoss(t *testing.T, h twoHosts) {
	_, sound := trip(t, h)
	if f, ok := kinds(sound)["link-errors"]; ok {
		t.Errorf("a sound network has link-errors: %s", f.Summary)
	}
	h.must("tc -n srv qdisc replace dev eth1 root netem loss 3%")
	h.must("tc qdisc replace dev eth0 root netem loss 3%")
	s := decoded[session.Session](t, h.must(sweep("write")+
		"opengauge measure wire://10.97.0.2 --plan /tmp/plan.yaml --json"))
	f, ok := kinds(s)["link-errors"]
	if !ok || f.Severity != session.Caution || !strings.Contains(f.Summary, "sent again") {
		t.Errorf("3 %% of the packets are lost, and it finds %+v", s.Findings)
	}
	h.must("tc -n srv qdisc replace dev eth1 root tbf rate 20mbit burst 64kb latency 40ms; " +
		"tc qdisc replace dev eth0 root tbf rate 20mbit burst 64kb latency 40ms")
}

func checkStack(t *testing.T, h twoHosts) {
	h.must(`ip link add bond0 type bond mode balance-rr miimon 100
ip link set eth2 master bond0; ip link set eth3 master bond0; ip link set bond0 up
ip link add link bond0 name bond0.7 type vlan id 7; ip link set bond0.7 up
ip link add bridge0 type bridge; ip link set bond0.7 master bridge0; ip link set bridge0 up; sleep 3`)
	document := decoded[struct{ Interfaces []survey.Interface }](t, h.must("opengauge survey --all --json"))
	hops := map[string]link.Hop{}
	for _, i := range document.Interfaces {
		if len(i.Hops) > 0 {
			hops[i.Name] = i.Hops[len(i.Hops)-1]
		}
	}
	const bond = "bond0 (balance-rr of eth2, eth3)"
	for name, want := range map[string]string{"bond0": bond, "bond0.7": "bond0.7 (VLAN 7 on " + bond + ")",
		"bridge0": "bridge0 (bridge on bond0.7 (VLAN 7 on " + bond + "))"} {
		if hop := hops[name]; hop.Name != want || hop.Standard != "ethernet 20m" || hop.Lanes != 2 ||
			!(math.Abs(float64(hop.Line)-5e6) <= 1) {
			t.Errorf("%s is %+v, want %s of 2 times 20 Mbit/s", name, hop, want)
		}
	}
}

// The load is a light one: beside a full one the emulated processor loses beacons, and with
// them the link.
func checkWireless(t *testing.T, h twoHosts) {
	setUp := h.shell(`set -e
modprobe mac80211_hwsim radios=2
sleep 2
iw phy phy1 set netns name srv
cat >/tmp/ap.conf <<'END'
interface=wlan1
driver=nl80211
ssid=field
hw_mode=g
channel=1
ieee80211n=1
wmm_enabled=1
END
ip -n srv address add 10.96.0.2/24 dev wlan1; ip -n srv link set wlan1 up
ip netns exec srv hostapd -B /tmp/ap.conf
ip link set wlan0 up
for i in $(seq 20); do iw dev wlan0 connect -w field && break; sleep 1; done
ip address add 10.96.0.1/24 dev wlan0
sleep 1
ip netns exec srv setsid opengauge standin wire --listen 10.96.0.2:10808 >/tmp/radio.log 2>&1 &
sleep 2
cat >/tmp/radio.yaml <<'END'
plan: radio
steps:
  - sweep: {operation: [read, write], access: sequential, block: 16KiB, depth: 4, rate: 20, hold: 4s}
END
`)
	if setUp.Code != 0 {
		t.Fatalf("no wireless link can be made: %s%s", setUp.Stdout, setUp.Stderr)
	}
	s := decoded[session.Session](t, h.must("opengauge measure wire://10.96.0.2 --plan /tmp/radio.yaml --json"))
	if hop := s.Chain.Hops[0]; hop.Name != "wlan0" || !strings.HasPrefix(hop.Standard, "wi-fi") || !hop.Known() {
		t.Errorf("the chain begins with %+v", hop)
	}
	if len(s.Passes) != 2 || len(s.Passes[1].Samples) < 2 {
		t.Fatalf("of 2 passes it has %+v", s.Passes)
	}
	if beside := s.Passes[1].Samples[1].Readings["wlan0_signal_dbm"]; beside != said(t, h.must(askIw), "signal") {
		t.Errorf("beside a pass the signal is %v", beside)
	}
	// Rates are chosen anew as frames go, so that it may have asked in between.
	witness.Again(t, func() string { return radioFault(t, h) })
}

const askIw = "iw dev wlan0 link"

// said is a figure of the link in what iw says.
func said(t *testing.T, text, what string) float64 {
	t.Helper()
	found := regexp.MustCompile(what + `: (-?[0-9.]+)`).FindStringSubmatch(text)
	if found == nil {
		t.Fatalf("iw does not say %s: %s", what, text)
	}
	value, err := strconv.ParseFloat(found[1], 64)
	if err != nil {
		t.Fatal(err)
	}
	return value
}

// radioFault is where the survey and iw say different things of a radio.
func radioFault(t *testing.T, h twoHosts) string {
	t.Helper()
	text := h.must(askIw)
	want := network.Radio{Receive: said(t, text, "rx bitrate") * 1e6, Send: said(t, text, "tx bitrate") * 1e6,
		Signal: said(t, text, "signal"), Frequency: said(t, text, "freq")}
	document := decoded[struct{ Interfaces []survey.Interface }](t, h.must("opengauge survey wlan0 --json"))
	radio := document.Interfaces[0].Radio
	if radio == nil {
		t.Fatal("its radio is not known")
	}
	got := network.Radio{Receive: radio.Receive, Send: radio.Send, Signal: radio.Signal, Frequency: radio.Frequency}
	if got != want {
		return fmt.Sprintf("the radio is %+v, and iw says %+v", got, want)
	}
	return ""
}

// A server that says nothing any more in mid-pass is said, and what was measured is kept. The
// process itself is the kernel's to end: as it ends, its files on the server are closed,
// which no signal stops.
func checkHang(t *testing.T, h twoHosts) {
	got := h.shell(sweep("read") + `(sleep 14; tc -n srv qdisc replace dev eth1 root netem loss 100%) >/dev/null 2>&1 &
opengauge measure /mnt/nfs --size 4MiB --plan /tmp/plan.yaml --hold 20s --stall-after 5s --return-within 4s \
	--name hang >/tmp/hang 2>&1 &
for i in $(seq 70); do grep -q "the test file is left" /tmp/hang && break; sleep 1; done
cat /tmp/hang >&2
tc -n srv qdisc replace dev eth1 root tbf rate 20mbit burst 64kb latency 40ms
opengauge logbook show hang --json`)
	if got.Code != 0 || !strings.Contains(got.Stderr, "the test file is left on /mnt/nfs") {
		t.Fatalf("of a server that hangs it says, with %d: %s", got.Code, got.Stderr)
	}
	s := decoded[session.Session](t, got.Stdout)
	if s.State != session.Failed || len(s.Passes) != 1 || !s.Passes[0].CutShort {
		t.Errorf("it is kept as %s with %d passes", s.State, len(s.Passes))
	}
	if _, found := kinds(s)["dropout"]; !found {
		t.Errorf("it finds %+v", s.Findings)
	}
}
