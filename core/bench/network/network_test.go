package network

import (
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/bench/kernel"
	"opengauge/core/bench/link"
)

// under writes the files of a machine into a folder. A content that begins with "->" is a
// link.
func under(t *testing.T, files map[string]string) kernel.Tree {
	t.Helper()
	root := t.TempDir()
	for name, content := range files {
		at := filepath.Join(root, name)
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			t.Fatal(err)
		}
		var err error
		if target, isLink := strings.CutPrefix(content, "-> "); isLink {
			err = os.Symlink(target, at)
		} else {
			err = os.WriteFile(at, []byte(content+"\n"), 0o644)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	return kernel.Under(root)
}

// rack is a machine with every kind of interface. Its files are as the kernel's
// documentation has them.
func rack() map[string]string {
	const net = "sys/class/net/"
	files := map[string]string{}
	wired := func(name, megabits, duplex, mtu string) {
		files["sys/devices/pci0000:00/"+name+"/class"] = "0x020000"
		files[net+name+"/device"] = "-> ../../../devices/pci0000:00/" + name
		files[net+name+"/type"], files[net+name+"/mtu"], files[net+name+"/carrier"] = "1", mtu, "1"
		files[net+name+"/speed"], files[net+name+"/duplex"] = megabits, duplex
	}
	plain := func(name, uevent, hardware string) {
		files[net+name+"/type"], files[net+name+"/mtu"], files[net+name+"/carrier"] = hardware, "1500", "1"
		files[net+name+"/uevent"] = uevent + "\nINTERFACE=" + name
	}
	wired("quay", "1000", "full", "1500")
	wired("pier", "10000", "full", "9000")
	wired("slow", "100", "half", "1500")
	wired("none", "-1", "unknown", "1500")
	files[net+"none/carrier"] = "0"
	wired("east", "1000", "full", "1500")
	wired("west", "1000", "full", "1500")
	plain("lo", "", "772")
	plain("wg0", "DEVTYPE=wireguard", "65534")
	plain("veth0", "", "1")
	plain("wlan0", "DEVTYPE=wlan", "1")
	plain("pier.10", "DEVTYPE=vlan", "1")
	files[net+"pier.10/mtu"], files[net+"pier.10/lower_pier"] = "9000", "-> ../pier"
	files["proc/net/vlan/pier.10"] = "pier.10  VID: 10\t REORDER_HDR: 1  dev->priv_flags: 1021"
	plain("bond0", "DEVTYPE=bond", "1")
	files[net+"bond0/speed"] = "2000"
	files[net+"bond0/bonding/mode"], files[net+"bond0/bonding/slaves"] = "802.3ad 4", "east west"
	files[net+"bond0/bonding/xmit_hash_policy"] = "layer3+4 1"
	plain("bond1", "DEVTYPE=bond", "1")
	files[net+"bond1/bonding/mode"], files[net+"bond1/bonding/slaves"] = "active-backup 1", "quay slow"
	files[net+"bond1/bonding/active_slave"] = "slow"
	plain("br0", "DEVTYPE=bridge", "1")
	files[net+"br0/brif/quay/state"], files[net+"br0/brif/veth0/state"] = "3", "3"
	plain("br1", "DEVTYPE=bridge", "1")
	files[net+"br1/brif/east/state"], files[net+"br1/brif/west/state"] = "3", "3"
	return files
}

// offers is what the ends of the rack's Ethernets offer, and how its radio is connected.
const offers = `{"modes": {
	"quay": {"ours": [{"bits_per_second": 1e9}, {"bits_per_second": 2.5e9}], "peers": [{"bits_per_second": 1e9}]},
	"slow": {"ours": [{"bits_per_second": 1e9}, {"bits_per_second": 1e8, "half_duplex": true}],
		"peers": [{"bits_per_second": 1e8, "half_duplex": true}, {"bits_per_second": 1e9}]},
	"east": {"ours": [{"bits_per_second": 1e10}, {"bits_per_second": 1e9}], "peers": [{"bits_per_second": 1e10}]},
	"west": {"ours": [{"bits_per_second": 1e9}]}},
	"radios": {"wlan0": {"generation": "wi-fi 6", "width_megahertz": 80, "receive_bits_per_second": 2.4e8,
		"send_bits_per_second": 1.2e8, "possible_bits_per_second": 1.2e9, "streams": 2, "signal_dbm": -71}},
	"routes": {"10.0.0.2": "pier.10"}}`

func rackNetwork(t *testing.T) Network {
	t.Helper()
	told, err := ReadTold([]byte(offers))
	if err != nil {
		t.Fatal(err)
	}
	return Network{under(t, rack()), told}
}

func TestHopsOfInterfaces(t *testing.T) {
	// What data gets of a frame, worked out by hand: 1460 of 1538 bytes without timestamps at
	// the most, 8960 of 9038 in jumbo frames, and of 9042 with a tag.
	const giga = 1e9 / 8
	n := rackNetwork(t)
	cases := []struct {
		name, hop, standard string
		high, could         float64 // bytes a second; 0 is not known
		degraded            bool
	}{
		{"quay", "quay", "ethernet 1g", giga * 1460 / 1538, giga * 1460 / 1538, false},
		{"pier", "pier", "ethernet 10g jumbo", 10 * giga * 8960 / 9038, 0, false},
		{"pier.10", "pier.10 (VLAN 10 on pier)", "ethernet 10g jumbo", 10 * giga * 8960 / 9042, 0, false},
		{"slow", "slow", "ethernet 100m half-duplex", giga / 10 * 1460 / 1538, giga * 1460 / 1538, true},
		{"none", "none", "ethernet without a link", 0, 0, false},
		{"east", "east", "ethernet 1g", giga * 1460 / 1538, 10 * giga * 1460 / 1538, true},
		{"bond0", "bond0 (802.3ad of east, west)", "ethernet 1g", 2 * giga * 1460 / 1538, 0, false},
		{"bond1", "bond1 (active-backup of slow)", "ethernet 100m half-duplex", giga / 10 * 1460 / 1538,
			giga * 1460 / 1538, true},
		{"br0", "br0 (bridge on quay)", "ethernet 1g", giga * 1460 / 1538, giga * 1460 / 1538, false},
		{"br1", "br1", "bridge of east, west", 0, 0, false},
		{"wlan0", "wlan0", "wi-fi 6, 80 MHz", 2.4e8 / 8 * 0.7, 1.2e9 / 8 * 0.7, true},
		{"lo", "lo", "loopback, in memory", 0, 0, false},
		{"wg0", "wg0", "tunnel", 0, 0, false},
		{"veth0", "veth0", "virtual network", 0, 0, false},
	}
	for _, c := range cases {
		hops := n.Hops(c.name)
		if len(hops) != 1 {
			t.Errorf("%s has %d hops", c.name, len(hops))
			continue
		}
		h, could := hops[0], 0.0
		if h.Capable != nil {
			could = float64(h.Capable.Usable.High)
		}
		if h.Name != c.hop || h.Standard != c.standard || !near(float64(h.Usable.High), c.high) || !near(could, c.could) ||
			h.Degraded() != c.degraded {
			t.Errorf("%s is %q, %s, up to %v, could be %v, degraded %t; want %+v", c.name, h.Name, h.Standard,
				float64(h.Usable.High), could, h.Degraded(), c)
		}
	}
	if hops := n.Hops("missing"); hops != nil {
		t.Errorf("an interface that is not there has the hops %+v", hops)
	}
	if low := n.Hops("bond0")[0].Usable.Low; !near(float64(low), giga*1448/1538*0.99) {
		t.Errorf("one stream over a bond gets %v at the least, want what one member carries", float64(low))
	}
}

func near(got, want float64) bool { return math.Abs(got-want) <= 1e-6*math.Max(want, 1) }

// An interface that stands on itself is a damaged capture, and no endless loop.
func TestRingsOfInterfaces(t *testing.T) {
	files := rack()
	files["sys/class/net/pier.10/lower_pier.10"] = "-> ../pier.10"
	delete(files, "sys/class/net/pier.10/lower_pier")
	n := Network{under(t, files), Nothing()}
	if hops := n.Hops("pier.10"); len(hops) != 1 || hops[0].Known() {
		t.Errorf("a ring has the hops %+v", hops)
	}
	n.Count("pier.10", map[string]int64{})
	if place := n.DeviceFolder("pier.10"); place != "" {
		t.Errorf("a ring has the device %s", place)
	}
}

func TestFoldersOfServers(t *testing.T) {
	n := rackNetwork(t)
	const options = "rw,relatime,vers=4.2,rsize=1048576,proto=tcp,nconnect=2,hard,addr=10.0.0.2"
	for _, c := range []struct {
		mount kernel.Mount
		want  Folder
		title string
	}{
		{kernel.Mount{At: "/mnt/nest", FileSystem: "nfs4", Source: "nest.example:/export/a b", Options: options},
			Folder{Protocol: "nfs", Version: "4.2", Server: "nest.example", Address: "10.0.0.2", Share: "/export/a b",
				Transport: "tcp", Interface: "pier.10"}, "nfs 4.2 from nest.example: /export/a b"},
		{kernel.Mount{FileSystem: "nfs", Source: "[fe80::1%quay]:/x", Options: "vers=3,proto=rdma"},
			Folder{Protocol: "nfs", Version: "3", Server: "fe80::1%quay", Share: "/x", Transport: "rdma"},
			"nfs 3 from fe80::1%quay: /x"},
		{kernel.Mount{FileSystem: "cifs", Source: "//NEST/Bird Songs/2026", Options: "vers=3.1.1,addr=10.0.0.2"},
			Folder{Protocol: "smb", Version: "3.1.1", Server: "NEST", Address: "10.0.0.2", Share: "Bird Songs/2026",
				Transport: "tcp", Interface: "pier.10"}, "smb 3.1.1 from NEST: /Bird Songs/2026"},
		{kernel.Mount{FileSystem: "9p", Source: "songs", Options: "rw,trans=virtio,version=9p2000.L"},
			Folder{Protocol: "9p", Version: "9p2000.L", Share: "songs", Transport: "virtio"},
			"9p 9p2000.L from this machine's host: songs"},
		{kernel.Mount{FileSystem: "9p", Source: "10.0.0.2", Options: "trans=tcp,aname=/srv"},
			Folder{Protocol: "9p", Version: "9p2000.L", Server: "10.0.0.2", Share: "/srv", Transport: "tcp",
				Interface: "pier.10"}, "9p 9p2000.L from 10.0.0.2: /srv"},
		{kernel.Mount{FileSystem: "virtiofs", Source: "songs"},
			Folder{Protocol: "virtiofs", Share: "songs", Transport: "virtio"}, "virtiofs from this machine's host: songs"},
		{kernel.Mount{FileSystem: "fuse.sshfs", Source: "someone@10.0.0.2:/srv"},
			Folder{Protocol: "sshfs", Server: "10.0.0.2", Share: "/srv", Interface: "pier.10"}, "sshfs from 10.0.0.2: /srv"},
		{kernel.Mount{FileSystem: "ceph", Source: "10.0.0.2:6789,10.0.0.3:6789:/deep"},
			Folder{Protocol: "ceph", Server: "10.0.0.2", Share: "/deep", Interface: "pier.10"}, "ceph from 10.0.0.2: /deep"},
	} {
		got, ok := n.Folder(c.mount)
		c.want.At, c.want.Options = c.mount.At, c.mount.Options
		if !ok || got != c.want || got.Title() != c.title {
			t.Errorf("%s %s is\n%+v, %q, want\n%+v, %q", c.mount.FileSystem, c.mount.Source, got, got.Title(), c.want, c.title)
		}
	}
	for _, p := range protocols {
		for _, name := range p.fileSystems {
			if p.name != "virtiofs" && !Served(name) {
				t.Errorf("nobody keeps %s", name)
			}
		}
	}
	if Served("ext4") || Served("") {
		t.Error("a drive's file system is kept by a server")
	}
	if _, ok := n.Folder(kernel.Mount{FileSystem: "ext4", Source: "/dev/vda1"}); ok {
		t.Error("a drive's file system is taken for a server's")
	}
}

// A mount's statistics, as a kernel of 2025 writes them.
const mountstats = `device rootfs mounted on / with fstype rootfs
device other:/x mounted on /mnt/other with fstype nfs4 statvers=1.1
	xprt:	tcp 0 0 9 0 0 9 9 0 9 9 9 9 9
	READ: 900 900 0 1 1 1 1 1 0
device 10.0.0.2:/export mounted on /mnt/a\040nest with fstype nfs4 statvers=1.1
	opts:	rw,vers=4.2,rsize=1048576
	age:	77
	events:	1 2 3 4 5 6 7 8 9
	bytes:	1 2 3 4 5 6 7 8
	RPC iostats version: 1.1  p/v: 100003/4 (nfs)
	xprt:	tcp 0 0 2 0 11 40 40 0 45 0 2 0 3
	xprt:	tcp 0 0 1 0 11 40 40 0 45 0 2 0 3
	per-op statistics
	        NULL: 1 1 0 44 24 0 1 1 0
	        READ: 100 103 2 20000 104857600 50 800 860 1
	       WRITE: 200 200 0 209715200 30000 70 1600 1700 0
`

func TestWhatProtocolsCount(t *testing.T) {
	tree := under(t, map[string]string{
		"proc/self/mountstats": mountstats,
		"proc/fs/cifs/Stats": "Resources in use\nCIFS Session: 1\n2 session 3 share reconnects\n" +
			"Total vfs operations: 90 maximum at one time: 2\n\n" +
			"1) \\\\10.0.0.2\\songs\nSMBs: 60\nBytes read: 5  Bytes written: 7\n" +
			"Reads: 40 total 1 failed\nWrites: 20 total 0 failed\n" +
			"2) \\\\10.0.0.3\\songs\nSMBs: 8\nReads: 8 total 8 failed\n",
	})
	got := map[string]int64{}
	CountFolder(tree, Folder{Protocol: "nfs", At: "/mnt/a nest"}, got)
	CountFolder(tree, Folder{Protocol: "smb", At: "/mnt/smb", Server: "10.0.0.2", Share: "songs"}, got)
	CountFolder(tree, Folder{Protocol: "9p", At: "/mnt/9p"}, got)
	equals(t, got, map[string]int64{
		link.Requests + " /mnt/a nest": 301, link.RequestsAgain + " /mnt/a nest": 3,
		link.RequestTimeouts + " /mnt/a nest": 2, link.RoundTrips + " /mnt/a nest": 2401,
		link.RequestsFailed + " /mnt/a nest": 1, link.Reconnects + " /mnt/a nest": 3,
		link.Reconnects + " /mnt/smb": 5, link.Requests + " /mnt/smb": 60, link.RequestsFailed + " /mnt/smb": 1,
	})
}

func TestWhatInterfacesCount(t *testing.T) {
	files := rack()
	for _, name := range []string{"pier", "pier.10"} {
		for file, count := range map[string]string{"rx_packets": "1000", "tx_packets": "900", "rx_bytes": "5",
			"tx_bytes":  "6",
			"rx_errors": "7", "tx_errors": "-1", "rx_dropped": "8", "tx_dropped": "many"} {
			files["sys/class/net/"+name+"/statistics/"+file] = count
		}
	}
	files["sys/class/net/pier/carrier_changes"] = "4"
	files["proc/net/snmp"] = "Ip: Forwarding\nIp: 1\nTcp: RtoAlgorithm OutSegs RetransSegs InCsumErrors\nTcp: 1 5000 50 2"
	got := map[string]int64{}
	Network{under(t, files), Nothing()}.Count("pier.10", got)
	want := map[string]int64{link.CarrierChanges + " pier": 4, link.TCPSent + " this machine": 5000,
		link.TCPSentAgain + " this machine": 50, link.BadChecksums + " this machine": 2}
	for _, name := range []string{" pier", " pier.10"} {
		want[link.ReceivedPackets+name], want[link.SentPackets+name] = 1000, 900
		want[link.ReceivedBytes+name], want[link.SentBytes+name] = 5, 6
		want[link.ReceiveErrors+name], want[link.ReceiveDrops+name] = 7, 8
	}
	equals(t, got, want)
	for name := range want {
		if c := link.CounterOf(name); c.Says == c.Name {
			t.Errorf("nobody says what %s counts", name)
		}
	}
}

func equals(t *testing.T, got, want map[string]int64) {
	t.Helper()
	for name, count := range want {
		if have, ok := got[name]; !ok || have != count {
			t.Errorf("%s is %d (%t), want %d", name, have, ok, count)
		}
	}
	if len(got) != len(want) {
		t.Errorf("%d counters, want %d: %v", len(got), len(want), got)
	}
}

// What was asked of netlink is answered again from what was kept.
func TestWhatWasToldIsKept(t *testing.T) {
	first, err := ReadTold([]byte(offers))
	if err != nil {
		t.Fatal(err)
	}
	recorder := Record(first)
	n := Network{under(t, rack()), recorder}
	before := map[string]link.Hop{}
	for _, each := range n.Interfaces() {
		before[each.Name] = n.Hops(each.Name)[0]
	}
	n.Route("10.0.0.2")
	kept, err := recorder.Kept()
	if err != nil {
		t.Fatal(err)
	}
	again, err := ReadTold(kept)
	if err != nil {
		t.Fatal(err)
	}
	n.Asker = again
	for name, was := range before {
		if now := n.Hops(name)[0]; now.State != was.State || now.Degraded() != was.Degraded() {
			t.Errorf("%s is %+v, and was %+v", name, now, was)
		}
	}
	if slow := n.Hops("slow")[0]; len(before) != 15 || again.Route("10.0.0.2") != "pier.10" || !slow.Degraded() {
		t.Errorf("%d interfaces, kept: %s", len(before), kept)
	}
	if _, err := ReadTold([]byte("{")); err == nil {
		t.Error("half a document is read")
	}
}

// Whatever the kernel's files hold, nothing but counts comes out.
func FuzzWhatProtocolsCount(f *testing.F) {
	f.Add(mountstats, "1) \\\\10.0.0.2\\songs\nReads: 40 total 1 failed\n", "Tcp: A OutSegs\nTcp: 1 5\n")
	f.Fuzz(func(t *testing.T, stats, smb, snmp string) {
		got := map[string]int64{}
		countNFS(stats, "/mnt/a nest", got)
		countSMB(smb, Folder{At: "/mnt/smb", Server: "10.0.0.2", Share: "songs"}, got)
		for name, count := range got {
			if count < 0 {
				t.Errorf("%s is %d", name, count)
			}
		}
		n := Network{kernel.Of(oneFile{"proc/net/snmp", snmp}), Nothing()}
		n.countTCP(got)
	})
}

// oneFile is a machine with a single file.
type oneFile struct{ name, content string }

func (o oneFile) Read(name string) ([]byte, error) {
	if name != o.name {
		return nil, os.ErrNotExist
	}
	return []byte(o.content), nil
}

func (oneFile) Target(string) (string, error) { return "", os.ErrNotExist }

func (oneFile) List(string) ([]string, error) { return nil, os.ErrNotExist }
