// Package network finds out what a machine's network interfaces are and how fast they run,
// which of them leads to a server, what they count, and which of the mounted folders a
// server keeps. Linux tells of itself in files (sysfs and procfs), and the rest by netlink;
// both may be of this machine or of a captured one. What cannot be read is unknown, and
// never guessed.
//
// A Network may be read by several goroutines at once.
package network

import (
	"path"
	"slices"
	"strconv"
	"strings"

	"opengauge/core/bench/kernel"
)

// Kind is what an interface is.
type Kind string

// The kinds of interface.
const (
	Ethernet Kind = "ethernet"
	Wireless Kind = "wireless"
	// Bond is several interfaces as one, VLAN a numbered part of one, Bridge a switch of
	// several.
	Bond   Kind = "bond"
	VLAN   Kind = "vlan"
	Bridge Kind = "bridge"
	// Tunnel is carried by another one, which the system does not name.
	Tunnel   Kind = "tunnel"
	Loopback Kind = "loopback"
	// Virtual leads to another place on the same machine, or to its host.
	Virtual Kind = "virtual"
	Unknown Kind = "unknown"
)

// Mode is a speed of an Ethernet.
type Mode struct {
	BitsPerSecond float64 `json:"bits_per_second"`
	HalfDuplex    bool    `json:"half_duplex,omitempty"`
}

// less orders modes by what they carry.
func (m Mode) less(other Mode) bool {
	if m.BitsPerSecond != other.BitsPerSecond {
		return m.BitsPerSecond < other.BitsPerSecond
	}
	return m.HalfDuplex && !other.HalfDuplex
}

// Modes are those that the two ends of an Ethernet offer each other; none where an end
// does not say.
type Modes struct {
	Ours  []Mode `json:"ours,omitempty"`
	Peers []Mode `json:"peers,omitempty"`
}

// best is the most that both ends offer, and whether there is such a thing.
func (m Modes) best() (best Mode, known bool) {
	for _, mode := range m.Ours {
		if slices.Contains(m.Peers, mode) && (!known || best.less(mode)) {
			best, known = mode, true
		}
	}
	return best, known
}

// Radio is how a wireless interface is connected now.
type Radio struct {
	// Generation is that of the rate that is used: "wi-fi 6"; "wi-fi" for an older one.
	Generation string `json:"generation"`
	// WidthMegahertz is that of the channel, and Frequency where it is.
	WidthMegahertz float64 `json:"width_megahertz,omitempty"`
	Frequency      float64 `json:"frequency_megahertz,omitempty"`
	// Receive and Send are the rates of the last frames, in bits a second, and Possible the
	// most that these streams carry over this channel; 0 is not known.
	Receive  float64 `json:"receive_bits_per_second"`
	Send     float64 `json:"send_bits_per_second"`
	Possible float64 `json:"possible_bits_per_second,omitempty"`
	Streams  int     `json:"streams,omitempty"`
	// Signal is how strong the other end is heard, in dBm.
	Signal float64 `json:"signal_dbm"`
	// Retries, Failed and BeaconsLost only ever grow.
	Retries     int64 `json:"retries"`
	Failed      int64 `json:"failed"`
	BeaconsLost int64 `json:"beacons_lost"`
}

// Interface is a network interface.
type Interface struct {
	Name string `json:"name"`
	Kind Kind   `json:"kind"`
	// Up says that something is at its other end.
	Up bool `json:"up"`
	// Frame is the most that a frame carries in bytes, and BitsPerSecond what was
	// negotiated; 0 is not known.
	Frame         int     `json:"frame_bytes,omitempty"`
	BitsPerSecond float64 `json:"bits_per_second,omitempty"`
	HalfDuplex    bool    `json:"half_duplex,omitempty"`
	// Possible is the most that both ends offer.
	Possible *Mode `json:"possible,omitempty"`
	// Number is that of a VLAN, Mode and Spread are how a bond uses its members.
	Number int    `json:"number,omitempty"`
	Mode   string `json:"mode,omitempty"`
	Spread string `json:"spread,omitempty"`
	// Below are the interfaces that it is made of, those in use first for a bond that uses
	// one at a time.
	Below []string `json:"below,omitempty"`
	Radio *Radio   `json:"radio,omitempty"`

	// device says that there is a part that can be touched, or a bus to it.
	device bool
	// virtio says that the emulator is at its other end.
	virtio bool
}

// Asker tells what no file of the kernel does.
type Asker interface {
	Modes(name string) (Modes, bool)
	Radio(name string) (Radio, bool)
	// Route gives the interface that leads to a host; empty where none is known.
	Route(host string) string
}

// Network is the network of a machine.
type Network struct {
	kernel.Tree
	Asker
}

const folder = "sys/class/net"

// Interfaces gives all interfaces in the order of their names.
func (n Network) Interfaces() []Interface {
	names := n.Names(folder)
	slices.Sort(names)
	found := []Interface{}
	for _, name := range names {
		if i, ok := n.Interface(name); ok {
			found = append(found, i)
		}
	}
	return found
}

// Interface gives the interface of a name, and whether there is one.
func (n Network) Interface(name string) (Interface, bool) {
	at := path.Join(folder, name)
	if name == "" || strings.Contains(name, "/") || !n.Exists(at, "mtu") {
		return Interface{}, false
	}
	i := Interface{Name: name, Up: n.Text(at, "carrier") == "1", device: n.LinkName(at, "device") != ""}
	frame, _ := n.Number(at, "mtu")
	i.Frame, i.Kind = int(frame), n.kindOf(at, i.device)
	i.virtio = strings.HasPrefix(n.LinkName(at, "device"), "virtio")
	switch i.Kind {
	case Ethernet, Bond:
		n.readSpeed(at, &i)
	case Wireless:
		if radio, ok := n.Radio(name); ok {
			i.Radio = &radio
		}
	}
	switch i.Kind {
	case Bond:
		n.readBond(at, &i)
	case VLAN:
		i.Number, i.Below = n.vlanNumber(name), n.lower(at)
	case Bridge:
		i.Below = n.Names(at, "brif")
	}
	slices.Sort(i.Below)
	return i, true
}

// Kinds of hardware (linux/if_arp.h), as the file "type" gives them.
const (
	typeEthernet = "1"
	typeLoopback = "772"
)

// kindOf tells what is in a folder: by what the kernel calls it ("DEVTYPE", linux/device.h),
// or by the files that only some have (Documentation/ABI/testing/sysfs-class-net).
func (n Network) kindOf(at string, device bool) Kind {
	kind := ""
	for _, line := range strings.Split(n.Text(at, "uevent"), "\n") {
		if after, ok := strings.CutPrefix(line, "DEVTYPE="); ok {
			kind = after
		}
	}
	hardware := n.Text(at, "type")
	switch {
	case kind == "wlan", n.Exists(at, "phy80211"):
		return Wireless
	case kind == "bond", n.Exists(at, "bonding"):
		return Bond
	case kind == "vlan":
		return VLAN
	case kind == "bridge", n.Exists(at, "bridge"):
		return Bridge
	case hardware == typeLoopback:
		return Loopback
	case slices.Contains([]string{"wireguard", "vxlan", "geneve", "gre", "ip_tunnel"}, kind),
		n.Exists(at, "tun_flags"), hardware != typeEthernet && hardware != "":
		return Tunnel
	case device && hardware == typeEthernet:
		return Ethernet
	case hardware == typeEthernet:
		return Virtual
	}
	return Unknown
}

// readSpeed reads what an Ethernet runs at (megabits; -1 where the driver does not know).
func (n Network) readSpeed(at string, i *Interface) {
	const mega, mostBelievable = 1e6, 10e6
	if megabits, ok := n.Number(at, "speed"); ok && megabits > 0 && megabits < mostBelievable && i.Up {
		i.BitsPerSecond = megabits * mega
	}
	i.HalfDuplex = n.Text(at, "duplex") == "half"
	if modes, ok := n.Modes(i.Name); ok {
		if best, known := modes.best(); known {
			i.Possible = &best
		}
	}
}

// readBond reads how a bond uses its members (Documentation/networking/bonding.rst).
func (n Network) readBond(at string, i *Interface) {
	i.Mode, _, _ = strings.Cut(n.Text(at, "bonding/mode"), " ")
	i.Spread, _, _ = strings.Cut(n.Text(at, "bonding/xmit_hash_policy"), " ")
	if active := n.Text(at, "bonding/active_slave"); active != "" && i.Mode == oneAtATime {
		i.Below = []string{active}
		return
	}
	for _, member := range strings.Fields(n.Text(at, "bonding/slaves")) {
		if status := n.Text(folder, member, "bonding_slave/mii_status"); status == "up" || status == "" {
			i.Below = append(i.Below, member)
		}
	}
}

// oneAtATime is the mode of a bond that keeps its other members for when the one fails.
const oneAtATime = "active-backup"

// lower are the interfaces that one stands on.
func (n Network) lower(at string) (below []string) {
	for _, name := range n.Names(at) {
		if under, ok := strings.CutPrefix(name, "lower_"); ok {
			below = append(below, under)
		}
	}
	return below
}

// vlanNumber is the number of a VLAN (Documentation/networking/vlan.rst); 0 is not known.
func (n Network) vlanNumber(name string) int {
	fields := strings.Fields(n.Text("proc/net/vlan", name))
	for i, field := range fields {
		if field == "VID:" && i+1 < len(fields) {
			number, _ := strconv.Atoi(fields[i+1])
			return number
		}
	}
	return 0
}

// DeviceFolder is where in sysfs the device of an interface is, or of the one that it is
// a part of; empty where there is none, or several.
func (n Network) DeviceFolder(name string) string {
	for range deepest {
		i, ok := n.Interface(name)
		switch {
		case !ok:
			return ""
		case i.device:
			place, err := n.Resolve(path.Join(folder, name, "device"))
			if err != nil {
				return ""
			}
			return place
		case len(i.Below) != 1:
			return ""
		}
		name = i.Below[0]
	}
	return ""
}
