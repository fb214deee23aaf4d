// Package address knows what an address means: a simulated part (sim:), a volume that
// a server on a network serves (nbd://), the other end of a network (wire://), or a path.
// It opens what is named, with all that stands around it: sensors, the chain, the parts,
// and what the machine says of itself.
//
// What was opened belongs to the goroutine that opened it.
package address

import (
	"context"
	"crypto/tls"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/bench/sensor"
	"opengauge/core/bench/survey"
	"opengauge/core/storage/nbd"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
	"opengauge/core/storage/wire"
	"opengauge/core/unit"
)

// IsSimulated reports whether an address names a simulated part.
func IsSimulated(text string) bool { return strings.HasPrefix(text, sim.Prefix) }

// IsVolume reports whether an address names a volume on a network.
func IsVolume(text string) bool { return nbd.IsAddress(text) }

// IsWire reports whether an address names the other end of a network.
func IsWire(text string) bool { return wire.IsAddress(text) }

// IsPath reports whether an address is a path of this machine.
func IsPath(text string) bool { return !IsSimulated(text) && !IsVolume(text) && !IsWire(text) }

// Request says what to open, and what is known of the bench.
type Request struct {
	Address string
	// Through is the enclosure of a simulated drive, or a chain of the demo's bench
	// book, or parts of it with commas between. Setup is what the bench book says of
	// a real one's chain, or nil.
	Through string
	Setup   *book.Setup
	// Demo is the bench book of the simulated parts.
	Demo book.Book
	// Size is that of a test file, or of the part of a simulated drive or a volume
	// that is touched; 0 is as usual.
	Size      unit.Bytes
	Carrier   target.Carrier
	Overwrite string
	// OverwriteContents allows to overwrite what a device holds.
	OverwriteContents bool
	Seed              uint64
	Conditions        map[string]string
	Probes            []sensor.Source
	// Trust says which servers of volumes are trusted; nil is as the system does.
	Trust *tls.Config
	// Shared are the ports of simulated hosts that several parts are behind, by
	// name; it may be nil.
	Shared map[string]*sim.SharedHop
	// Contact and After are of a simulated part that was put together anew: see
	// [sim.Options].
	Contact float64
	After   *sim.Device
	// Parts are the simulated parts there are; nil is those of the demo.
	Parts *sim.Bench
	// Version is that of the program.
	Version string
}

// Opened is a target with what stands around it.
type Opened struct {
	Target  target.Target
	Sensors sensor.Set
	Chain   link.Chain
	// Links looks at the links of the chain; nil where nobody can.
	Links       Links
	Parts       []book.Part
	Conditions  map[string]string
	Environment host.Environment
}

// Links is what looks at the links of a chain while it is measured.
type Links interface {
	// Reading gives their states and counters now.
	Reading() link.Reading
	// Start tells what happens to them, from another goroutine, until the returned function
	// is called.
	Start(tell func(kind, detail string)) (stop func())
}

// Misused says that what was asked cannot be: a mistake of the one who asked.
type Misused struct{ Cause error }

func (m Misused) Error() string { return m.Cause.Error() }

// Unwrap gives the cause.
func (m Misused) Unwrap() error { return m.Cause }

// Open opens what the address of a request names. The target has to be closed.
func Open(ctx context.Context, r Request) (Opened, error) {
	switch {
	case IsSimulated(r.Address):
		return openSimulated(strings.TrimPrefix(r.Address, sim.Prefix), r)
	case IsVolume(r.Address):
		return openVolume(ctx, r)
	case IsWire(r.Address):
		return openWire(ctx, r)
	default:
		return openPath(r)
	}
}

func openPath(r Request) (Opened, error) {
	made, err := target.OpenPath(r.Address, target.PathOptions{
		Size: r.Size, Carrier: r.Carrier, Overwrite: r.Overwrite, OverwriteContents: r.OverwriteContents,
	})
	if err != nil {
		return Opened{}, err
	}
	around := Opened{
		Target: made, Chain: link.NewChain(), Conditions: r.Conditions, Environment: survey.Environment(r.Version),
	}
	machine, sources := survey.Here(), r.Probes
	if device, mount, ok := machine.DeviceOf(r.Address); ok {
		around.Chain, around.Links = device.Chain, machine.Watch(device)
		machine.Describe(device, mount, &around.Environment)
		sources = append(machine.Sensors(device), sources...)
	} else if served, ok := machine.FolderOf(r.Address); ok {
		around.Chain, around.Links = served.Chain, machine.WatchFolder(served)
		machine.DescribeServed(served, &around.Environment)
		sources = append(machine.NetworkSensors(served.Interface), sources...)
	}
	around.Sensors = sensor.NewPoller(sources)
	if r.Setup != nil {
		around.Chain, around.Parts = r.Setup.Merge(around.Chain), r.Setup.Parts
	}
	return around, nil
}

// openVolume connects to a volume that a server on a network serves.
func openVolume(ctx context.Context, r Request) (Opened, error) {
	volume, err := nbd.Open(ctx, r.Address, nbd.Options{Size: r.Size, Overwrite: r.Overwrite, TLS: r.Trust})
	if err != nil {
		return Opened{}, err
	}
	around := Opened{
		Target: volume, Sensors: sensor.NewPoller(r.Probes), Chain: link.NewChain(), Conditions: r.Conditions,
		Environment: survey.Environment(r.Version),
	}
	if r.Setup != nil {
		around.Chain, around.Parts = r.Setup.Chain, r.Setup.Parts
	}
	return around, nil
}

// openWire connects to the other end of a network. The chain is that of this end's links
// to it and of the links that the other end says it has.
func openWire(ctx context.Context, r Request) (Opened, error) {
	opened, err := wire.Open(ctx, r.Address, wire.Options{Size: r.Size, TLS: r.Trust})
	if err != nil {
		return Opened{}, err
	}
	address, err := wire.ParseAddress(r.Address)
	if err != nil {
		return Opened{}, err
	}
	machine := survey.Here()
	way, over := machine.WayTo(address.Name)
	around := Opened{
		Target: opened, Chain: link.NewChain(append(way.Hops, opened.Far().Hops...)...), Conditions: r.Conditions,
		Environment: survey.Environment(r.Version), Links: machine.WatchInterface(over),
	}
	around.Sensors = sensor.NewPoller(append(append(machine.NetworkSensors(over), opened.Sensor()), r.Probes...))
	if r.Setup != nil {
		around.Chain, around.Parts = r.Setup.Merge(around.Chain), r.Setup.Parts
	}
	return around, nil
}
