package sim

import (
	"fmt"
	"math/rand/v2"
	"time"

	"opengauge/core/link"
	"opengauge/core/target"
	"opengauge/core/unit"
)

// Prefix marks a simulated target on the command line.
const Prefix = "sim:"

// DefaultEnclosure is the one that a drive is in where nobody says another.
const DefaultEnclosure = "limpet"

// Options say what a simulated drive is put into.
type Options struct {
	// Enclosure is the name of the enclosure, or empty for the default.
	Enclosure string
	// Cooling overrides how the enclosure's fan behaves, if it is not empty.
	Cooling Cooling
	Ambient unit.Celsius
	Seed    uint64
	// Span is the part of the drive that is touched, or 0 for all of it.
	Span unit.Bytes
}

// Part is a simulated drive in an enclosure. It is a [target.Target] on a
// virtual clock that moves only while a queue is waited on.
type Part struct {
	drive     Drive
	enclosure Enclosure
	options   Options
	now       time.Duration
	heat      thermal
	chance    *rand.PCG
}

// Open puts the named drive into its enclosure.
func (b Bench) Open(name string, options Options) (*Part, error) {
	drive, known := b.Drives[name]
	if !known {
		return nil, fmt.Errorf("unknown simulated drive %q; known are %s", name, names(b.Drives))
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
			return nil, fmt.Errorf("the simulated enclosure %s has no fan, so fan=%s means nothing; leave it out or choose another enclosure", enclosure.Name, options.Cooling)
		}
		enclosure.Cooling = options.Cooling
	}
	if options.Span == 0 {
		options.Span = drive.Capacity
	}
	if options.Span > drive.Capacity {
		return nil, fmt.Errorf("--size %s is larger than %s, which holds %s", options.Span, name, drive.Capacity.Capacity())
	}
	return &Part{
		drive: drive, enclosure: enclosure, options: options,
		heat:   newThermal(drive, enclosure, options.Ambient),
		chance: rand.NewPCG(options.Seed, 0x73696d),
	}, nil
}

// Description of a simulated part.
func (p *Part) Description() target.Description {
	return target.Description{
		Kind: target.Simulated, Address: Prefix + p.drive.Name, Span: p.options.Span,
		Capacity: p.drive.Capacity, Writable: true, Direct: true, Seed: p.options.Seed,
	}
}

// Chain is the simulated path from the host to the drive.
func (p *Part) Chain() link.Chain {
	return link.NewChain(
		p.enclosure.Link.Hop("port to "+p.enclosure.Name),
		p.drive.Link.Hop(p.enclosure.Name+" to "+p.drive.Name),
	)
}

// EnclosureName is the name of the enclosure that the drive is in.
func (p *Part) EnclosureName() string { return p.enclosure.Name }

// Cooling is how the enclosure's fan behaves: what a condition "fan" says.
func (p *Part) Cooling() Cooling { return p.enclosure.Cooling }

// Ambient is the temperature of the air around the enclosure.
func (p *Part) Ambient() unit.Celsius { return p.options.Ambient }

// Now is the virtual time.
func (p *Part) Now() time.Duration { return p.now }

// Usage is nothing: a simulated host is never busy, and nobody else uses the
// device.
func (p *Part) Usage() target.Usage { return target.Usage{} }

// Temperatures gives what the drive's own sensor reports, in whole degrees.
func (p *Part) Temperatures() map[string]unit.Celsius {
	whole := int(p.heat.temperature + 0.5)
	return map[string]unit.Celsius{"drive": unit.Celsius(whole)}
}

// Open gives a queue on the drive.
func (p *Part) Open(shape target.Shape) (target.Queue, error) {
	return newQueue(p), nil
}

// Close does nothing: a simulated part leaves nothing behind.
func (p *Part) Close() error { return nil }
