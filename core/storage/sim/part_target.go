package sim

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"syscall"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// The optional abilities of the target.
var (
	_ target.Reopener  = (*Device)(nil)
	_ target.Answerer  = (*Device)(nil)
	_ target.Sleeper   = (*Device)(nil)
	_ target.Discarder = (*Device)(nil)
)

// Prefix marks a simulated target on the command line.
const Prefix = "sim:"

// DefaultEnclosure is the one that a drive is in where nobody says another.
const DefaultEnclosure = "limpet"

// Options are the surroundings of a simulated drive.
type Options struct {
	// Enclosure is the name of the enclosure, or empty for the default.
	Enclosure string
	// Cooling overrides how the enclosure's fan behaves, if it is not empty.
	Cooling Cooling
	Ambient unit.Celsius
	Seed    uint64
	// Span is the part of the drive that is touched, or 0 for all of it.
	Span unit.Bytes
	// Before are the hops between the host and the enclosure, or none. The
	// narrowest of them holds the part to the middle of its usable range.
	Before []link.Hop
	// Shared is a hop that the part shares with others, or nil.
	Shared *SharedHop
	// Contact is how well it is plugged in this time, as a share of all its rates; 0 is as
	// usual.
	Contact float64
	// Firmware is the one that the drive has; empty, and one that the bench does not know,
	// is as usual.
	Firmware string
	// After is the same drive before it was put together anew: its data, its warmth and its time go on from
	// there. Nil is a new one.
	After *Device
}

// SharedHop is a link that several parts are behind: a hub, a switch. It carries
// one operation's data after the other. Whoever drives the parts has to go on
// with the one whose clock is furthest back.
type SharedHop struct {
	Carries unit.BytesPerSecond
	free    time.Duration
}

// carry moves data that is ready at a time, behind earlier data, and says when it is over.
func (h *SharedHop) carry(ready time.Duration, length int) time.Duration {
	h.free = max(ready, h.free) + moving(length, h.Carries)
	return h.free
}

// Device is a simulated drive in an enclosure, or a volume. It is a
// [target.Target] on a virtual clock that moves only while a queue is waited on,
// or in [Device.Sleep].
type Device struct {
	drive     Drive
	enclosure Enclosure
	options   Options
	now       time.Duration
	heat      thermal
	cells     *cells
	arm       *arm    // of a hard disk, or nil
	limits    *limits // of a volume, or nil
	chance    *rand.PCG
}

// Open puts the named drive into its enclosure, or opens the named volume.
func (b Bench) Open(name string, options Options) (*Device, error) {
	if volume, known := b.Volumes[name]; known {
		drive, path := volume.drive()
		return newPart(drive, path, newLimits(volume), options)
	}
	drive, known := b.Drives[name]
	if !known {
		return nil, fmt.Errorf("unknown simulated part %q; known are %s, %s", name, names(b.Drives), names(b.Volumes))
	}
	if options.Enclosure == "" {
		options.Enclosure = DefaultEnclosure
	}
	enclosure, known := b.Enclosures[options.Enclosure]
	if !known {
		return nil, fmt.Errorf("unknown simulated enclosure %q; known are %s", options.Enclosure, names(b.Enclosures))
	}
	if options.Cooling != "" {
		if enclosure.Cooling == Passive && options.Cooling != Passive {
			return nil, fmt.Errorf("the simulated enclosure %s has no fan, so fan=%s means nothing; leave it out "+
				"or choose another enclosure", enclosure.Name, options.Cooling)
		}
		enclosure.Cooling = options.Cooling
	}
	return newPart(drive, enclosure, nil, options)
}

func newPart(drive Drive, enclosure Enclosure, limits *limits, options Options) (*Device, error) {
	if options.Span == 0 {
		options.Span = drive.Capacity
	}
	if options.Span > drive.Capacity {
		return nil, fmt.Errorf("--size %s is larger than %s, which holds %s", options.Span, drive.Name,
			drive.Capacity.Capacity())
	}
	for _, hop := range options.Before {
		if hop.Known() {
			enclosure.Carries = min(enclosure.Carries, (hop.Usable.Low+hop.Usable.High)/2)
		}
	}
	if share, known := drive.Firmware[options.Firmware]; known {
		drive.WriteRate *= unit.BytesPerSecond(share)
	}
	plugIn(&drive, &enclosure, options.Contact)
	p := &Device{drive: drive, enclosure: enclosure, options: options, limits: limits,
		chance: rand.NewPCG(options.Seed, 0x73696d)}
	p.heat = newThermal(&p.drive, &p.enclosure, options.Ambient)
	p.cells = newCells(&p.drive)
	if drive.Disk.InnerRate > 0 {
		p.arm = &arm{disk: &p.drive.Disk, capacity: drive.Capacity, outer: drive.ReadRate}
	}
	p.goOn(options.After)
	return p, nil
}

// plugIn reduces all rates by how well a part is plugged in.
func plugIn(drive *Drive, enclosure *Enclosure, contact float64) {
	if contact <= 0 {
		return
	}
	share := unit.BytesPerSecond(contact)
	drive.ReadRate = drive.ReadRate * share
	drive.WriteRate = drive.WriteRate * share
	drive.Flash.SpentRate *= share
	drive.Disk.InnerRate *= share
	enclosure.Carries *= share
}

// goOn takes over the state of a drive before it was put together anew.
func (p *Device) goOn(before *Device) {
	if before == nil {
		return
	}
	p.now = before.now
	p.cells.held = before.cells.held
	p.cells.occupied = before.cells.occupied
	p.cells.fast = before.cells.fast
	p.cells.at = before.cells.at
	p.cells.end = before.cells.end
	if p.limits != nil {
		p.limits = before.limits
	}
	p.heat.temperature = before.heat.temperature
	p.heat.controller = before.heat.controller
	p.heat.until = before.heat.until
}

// Description of a simulated part.
func (p *Device) Description() target.Description {
	return target.Description{
		Kind: target.Simulated, Address: Prefix + p.drive.Name, Span: p.options.Span,
		Capacity: p.drive.Capacity, Writable: true, Direct: true, Seed: p.options.Seed,
	}
}

// Chain is the simulated path from the host to the drive.
func (p *Device) Chain() link.Chain {
	if p.limits != nil {
		return link.NewChain(p.drive.Link.Hop("network to "+p.drive.Name), p.provisioned())
	}
	inside := p.drive.Link.Hop(p.enclosure.Name + " to " + p.drive.Name)
	if len(p.options.Before) == 0 {
		return link.NewChain(p.enclosure.Link.Hop("port to "+p.enclosure.Name), inside)
	}
	hops := append(slices.Clone(p.options.Before), p.enclosure.Link.Hop(p.enclosure.Name), inside)
	return link.NewChain(hops...)
}

// provisioned is the limit of a volume as a hop of its own.
func (p *Device) provisioned() link.Hop {
	limit := max(p.limits.volume.Throughput, p.limits.volume.Burst.Throughput)
	return link.Hop{Name: p.drive.Name, State: link.State{Standard: "provisioned limit", Ceiling: link.Ceiling{
		Line: limit, Payload: limit, Usable: link.Range{Low: limit, High: limit},
	}}}
}

// EnclosureName is the name of the enclosure that the drive is in; a volume is in
// none.
func (p *Device) EnclosureName() string { return p.enclosure.Name }

// Cooling is how the enclosure's fan behaves, as a condition "fan" says.
func (p *Device) Cooling() Cooling { return p.enclosure.Cooling }

// Ambient is the temperature of the air around the enclosure.
func (p *Device) Ambient() unit.Celsius { return p.options.Ambient }

// Fill is how full the drive is, from 0 to 1.
func (p *Device) Fill() float64 { return p.cells.fill() }

// Now is the virtual time.
func (p *Device) Now() time.Duration { return p.now }

// Sleep lets virtual time pass with nothing to do.
func (p *Device) Sleep(stretch time.Duration) {
	p.now += stretch
	p.heat.advance(p.now)
}

// Discard forgets the drive's data from an offset on.
func (p *Device) Discard(from unit.Bytes) error {
	p.cells.discard(int64(from))
	return nil
}

// Reopen says whether the drive is there. It keeps no data that could be looked at.
func (p *Device) Reopen(target.Recognise) error {
	if p.gone() {
		return syscall.ENODEV
	}
	return nil
}

// Answers returns an error while the drive has vanished, or its bridge does not move. Like all of a simulated
// device it is asked by the goroutine that drives the queue.
func (p *Device) Answers() error {
	if p.gone() {
		return syscall.ENODEV
	}
	if until := p.enclosure.stallEnd(p.now); until > p.now {
		return fmt.Errorf("the bridge does not move for %s", until-p.now)
	}
	return nil
}

// gone says whether the drive has vanished.
func (p *Device) gone() bool { return p.heat.left >= 0 }

// carries is the rate of the enclosure's bridge; less where a drive came back slower.
func (p *Device) carries() unit.BytesPerSecond {
	if p.heat.returned && p.enclosure.Vanish.Rate > 0 {
		return min(p.enclosure.Carries, p.enclosure.Vanish.Rate)
	}
	carried := float64(p.enclosure.Carries)
	if p.enclosure.Refall.fallen(p.now) {
		carried = min(carried, float64(p.enclosure.Refall.Rate))
	}
	return unit.BytesPerSecond(carried * p.heat.held * p.drive.Housekeeping.left(p.now) * p.enclosure.Others.left(p.now))
}

// Usage is nothing: a simulated host is never busy, and nobody else uses the
// device.
func (p *Device) Usage() target.Usage { return target.Usage{} }

// Temperatures returns the readings of the drive's own sensors, in whole degrees. A volume has none, and
// neither has a drive that vanished.
func (p *Device) Temperatures() map[string]unit.Celsius {
	if p.limits != nil || p.gone() {
		return nil
	}
	readings := map[string]unit.Celsius{"drive": wholeDegrees(p.heat.temperature)}
	if p.drive.ControllerResistance > 0 {
		readings["controller"] = wholeDegrees(p.heat.controller)
	}
	if p.enclosure.Probe.Lag > 0 {
		readings["case-probe"] = wholeDegrees(p.heat.probe)
	}
	return readings
}

// Readings returns the readings of the bench's other sensors: whether the fan runs, and the power that the
// drive takes, in watts.
func (p *Device) Readings() map[string]float64 {
	if p.limits != nil {
		return nil
	}
	readings := map[string]float64{"power_watts": p.heat.watts}
	if p.enclosure.Cooling != Passive {
		readings["fan_running"] = 0
		if p.heat.fan {
			readings["fan_running"] = 1
		}
	}
	return readings
}

func wholeDegrees(temperature unit.Celsius) unit.Celsius { return unit.Celsius(int(temperature + 0.5)) }

// Open gives a queue on the drive.
func (p *Device) Open(shape target.Shape) (target.Queue, error) {
	return newQueue(p, shape.Slots), nil
}

// Close does nothing: a simulated part leaves nothing behind.
func (p *Device) Close() error { return nil }
