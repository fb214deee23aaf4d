package survey

import (
	"context"
	"path/filepath"
	"slices"
	"strings"

	"opengauge/core/bench/host"
	"opengauge/core/bench/kernel"
	"opengauge/core/bench/link"
	"opengauge/core/bench/network"
	"opengauge/core/bench/sensor"
	"opengauge/core/unit"
)

// Served is a folder that a server keeps, with the way to it.
type Served struct {
	network.Folder
	link.Chain
}

// Interface is a network interface, with the links to it and over it.
type Interface struct {
	network.Interface
	Hops       []link.Hop `json:"hops"`
	BindingHop int        `json:"binding_hop"`
}

// Chain is the way to an interface and over it.
func (i Interface) Chain() link.Chain { return link.Chain{Hops: i.Hops, BindingHop: i.BindingHop} }

// networkFile is where in a capture is what netlink told.
const networkFile = "told/network.json"

// Network is the network of the machine. Of other systems than Linux it is known only
// which interface leads to a host.
func (m *Machine) Network() network.Network {
	return network.Network{Tree: m.Tree, Asker: m.asked()}
}

func (m *Machine) asked() network.Asker {
	if m.asker != nil {
		return m.asker
	}
	if m.live {
		return network.Here()
	}
	if kept, err := m.Read(networkFile); err == nil {
		if told, err := network.ReadTold(kept); err == nil {
			return told
		}
	}
	return network.Nothing()
}

// Interfaces gives the network interfaces of a Linux machine.
func (m *Machine) Interfaces() []Interface {
	found := []Interface{}
	if m.other != nil {
		return found
	}
	net := m.Network()
	for _, each := range net.Interfaces() {
		way := link.NewChain(m.wayThrough(net, each.Name)...)
		found = append(found, Interface{each, way.Hops, way.BindingHop})
	}
	return found
}

// Folders gives the mounted folders that servers keep. It asks no server.
func (m *Machine) Folders() []Served {
	found := []Served{}
	if m.other != nil {
		return found
	}
	mounts, _ := m.Mounts() // what cannot be read is unknown
	net := m.Network()
	for _, folder := range net.Folders(mounts) {
		found = append(found, m.served(net, folder))
	}
	return found
}

// served puts together the way to a server's folder.
func (m *Machine) served(net network.Network, folder network.Folder) Served {
	hops := m.wayThrough(net, folder.Interface)
	name := folder.Server
	if name == "" {
		name = "this machine's host"
	}
	standard := strings.TrimSpace(folder.Protocol + " " + folder.Version)
	return Served{folder, link.NewChain(append(hops, link.Trained(name, link.State{Standard: standard}, link.State{}))...)}
}

// wayThrough gives the hops to an interface and over it: an adapter may hang on a slower
// link than the one that it offers.
func (m *Machine) wayThrough(net network.Network, name string) []link.Hop {
	var hops []link.Hop
	if place := net.DeviceFolder(name); place != "" && !strings.Contains(place, "/virtual/") {
		hops = slices.DeleteFunc(m.hops(place, deepest), func(h link.Hop) bool { return h.Standard == "virtio" })
	}
	return append(hops, net.Hops(name)...)
}

// WayTo gives the links of this machine that lead to a host on the network, and the name of
// the interface; nothing where no route is known.
func (m *Machine) WayTo(hostName string) (link.Chain, string) {
	net := m.Network()
	name := net.Route(hostName)
	if name == "" {
		return link.NewChain(), ""
	}
	return link.NewChain(m.wayThrough(net, name)...), name
}

// FolderOf gives the server's folder that a path of this machine is in.
func (m *Machine) FolderOf(name string) (Served, bool) {
	if !m.live || m.other != nil {
		return Served{}, false
	}
	absolute, err := filepath.Abs(name)
	if err != nil {
		return Served{}, false
	}
	if real, err := filepath.EvalSymlinks(absolute); err == nil {
		absolute = real
	}
	at, ok := m.mounts().holding(absolute)
	if !ok {
		return Served{}, false
	}
	net := m.Network()
	folder, ok := net.Folder(kernel.Mount{At: at.At, FileSystem: at.FileSystem, Options: at.Options, Source: at.Source,
		Number: at.number})
	if !ok {
		return Served{}, false
	}
	return m.served(net, folder), true
}

// DescribeServed adds to an environment what a figure of a server's folder depends on.
func (m *Machine) DescribeServed(s Served, into *host.Environment) {
	into.Server, into.MountOptions = s.Title(), s.Options
	if s.Interface != "" {
		into.Server += ", over " + s.Interface
	}
	m.describeHost(into)
}

// WatchFolder prepares to look at the way to a server's folder.
func (m *Machine) WatchFolder(s Served) *Watch {
	return &Watch{watched: route{m, s.Interface, &s.Folder}, words: wordsOf(s.Server, s.Address, s.Interface)}
}

// WatchInterface prepares to look at an interface and those below it.
func (m *Machine) WatchInterface(name string) *Watch {
	return &Watch{watched: route{machine: m, over: name}, words: wordsOf(name)}
}

// wordsOf are names that are not empty.
func wordsOf(names ...string) []string {
	return slices.DeleteFunc(names, func(name string) bool { return name == "" })
}

// route is the way over an interface, to a folder where that is meant.
type route struct {
	machine *Machine
	over    string
	folder  *network.Folder
}

func (r route) named() string { return r.over }

func (r route) lost() bool {
	if r.over == "" || r.machine.other != nil || !r.machine.Exists("sys/class/net") {
		return false
	}
	_, there := r.machine.Network().Interface(r.over)
	return !there
}

func (r route) states() map[string]string {
	if r.over == "" {
		return map[string]string{}
	}
	return statesOf(r.machine.wayThrough(r.machine.Network(), r.over))
}

func (r route) count(into map[string]int64) {
	if r.over != "" {
		r.machine.Network().Count(r.over, into)
	}
	if r.folder != nil {
		network.CountFolder(r.machine.Tree, *r.folder, into)
	}
}

// NetworkSensors gives what is read beside a pass that goes over an interface: the
// machine's own, and how well a wireless one hears.
func (m *Machine) NetworkSensors(name string) []sensor.Source {
	sources := []sensor.Source{&machineSensors{machine: m}}
	if i, ok := m.Network().Interface(name); ok && i.Kind == network.Wireless {
		sources = append(sources, &radioSensor{m, name})
	}
	return sources
}

// radioSensor is how well a wireless interface hears.
type radioSensor struct {
	machine *Machine
	name    string
}

func (s *radioSensor) Name() string { return "the radio of " + s.name }

func (s *radioSensor) Read(context.Context) (sensor.Reading, error) {
	reading := sensor.Reading{Temperatures: map[string]unit.Celsius{}, Values: map[string]float64{}}
	if radio, ok := s.machine.Network().Radio(s.name); ok {
		reading.Values[s.name+"_signal_dbm"] = radio.Signal
		reading.Values[s.name+"_receive_bits_per_second"] = radio.Receive
		reading.Values[s.name+"_send_bits_per_second"] = radio.Send
	}
	return reading, nil
}
