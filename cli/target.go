package cli

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"os"
	"strings"

	book "opengauge/core/bench/book"
	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/bench/sensor"
	"opengauge/core/bench/survey"
	"opengauge/core/measure/run"
	"opengauge/core/storage/nbd"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/examples"
)

// measuredBench is a target with what stands around it.
type measuredBench struct {
	target      target.Target
	sensors     sensor.Set
	chain       link.Chain
	links       run.Links // or nil
	parts       []book.Part
	conditions  map[string]string
	environment host.Environment
}

// benchRequest is what the command line says about the bench.
type benchRequest struct {
	address string
	// through is the enclosure of a simulated drive, and setup what the bench
	// book says of a real one's chain, or nil.
	through   string
	setup     *book.Setup
	size      unit.Bytes
	carrier   target.Carrier
	overwrite string
	// overwriteContents allows to overwrite what a device holds.
	overwriteContents bool
	seed              uint64
	conditions        map[string]string
	probes            []sensor.Source
	tag               string
	// authority is a file with the certificate that a volume's server is trusted by.
	authority string
	// shared are the ports of simulated hosts that several parts are behind, by
	// name; it may be nil.
	shared map[string]*sim.SharedHop
}

// openBench opens what an address names: a simulated part, or a path.
func openBench(r benchRequest) (measuredBench, error) {
	if name, simulated := strings.CutPrefix(r.address, sim.Prefix); simulated {
		return openSimulated(name, r)
	}
	if nbd.IsAddress(r.address) {
		return openVolume(r)
	}
	opened, err := target.OpenPath(r.address, target.PathOptions{Size: r.size, Carrier: r.carrier, Tag: r.tag,
		Overwrite: r.overwrite, OverwriteContents: r.overwriteContents})
	if err != nil {
		return measuredBench{}, err
	}
	around := measuredBench{
		target: opened, chain: link.NewChain(), conditions: r.conditions, environment: survey.Environment(Version),
	}
	machine, sources := survey.Here(), r.probes
	if device, mount, known := machine.DeviceOf(r.address); known {
		around.chain, around.links = device.Chain, machine.Watch(device)
		machine.Describe(device, mount, &around.environment)
		sources = append(machine.Sensors(device), sources...)
	}
	around.sensors = sensor.NewPoller(sources)
	if r.setup != nil {
		around.chain, around.parts = r.setup.Merge(around.chain), r.setup.Parts
	}
	return around, nil
}

// openVolume connects to a volume that a server on a network serves.
func openVolume(r benchRequest) (measuredBench, error) {
	settings, err := authorityFrom(r.authority)
	if err != nil {
		return measuredBench{}, usageError{err}
	}
	volume, err := nbd.Open(context.Background(), r.address, nbd.Options{Size: r.size, Overwrite: r.overwrite, TLS: settings})
	if err != nil {
		return measuredBench{}, err
	}
	around := measuredBench{
		target: volume, sensors: sensor.NewPoller(r.probes), chain: link.NewChain(), conditions: r.conditions, environment: survey.Environment(Version),
	}
	if r.setup != nil {
		around.chain, around.parts = r.setup.Chain, r.setup.Parts
	}
	return around, nil
}

// authorityFrom reads the certificate of an authority; nil is the system's own.
func authorityFrom(file string) (*tls.Config, error) {
	if file == "" {
		return nil, nil
	}
	source, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("--authority: %w", err)
	}
	pool := x509.NewCertPool()
	if !pool.AppendCertsFromPEM(source) {
		return nil, fmt.Errorf("--authority: %s holds no certificate", file)
	}
	return &tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS12}, nil
}

// openSimulated puts a simulated drive on the bench. Conditions that a
// simulation knows (fan, ambient) set it; those that are not given are added,
// so that the session says what it was.
func openSimulated(name string, r benchRequest) (measuredBench, error) {
	parts, err := sim.DemoBench()
	if err != nil {
		return measuredBench{}, err
	}
	options, err := simulatedConditions(r)
	if err != nil {
		return measuredBench{}, usageError{err}
	}
	around, err := throughParts(r, &options)
	if err != nil {
		return measuredBench{}, usageError{err}
	}
	part, err := parts.Open(name, options)
	if err != nil {
		return measuredBench{}, usageError{err}
	}
	conditions := map[string]string{}
	if part.EnclosureName() != "" { // a volume is in none
		conditions["enclosure"], conditions["fan"] = part.EnclosureName(), string(part.Cooling())
		conditions["ambient"] = celsiusCondition(part.Ambient())
	}
	for key, value := range r.conditions {
		conditions[key] = value
	}
	described, err := demoParts(append(around, part.EnclosureName(), name)...)
	if err != nil {
		return measuredBench{}, err
	}
	chain := part.Chain()
	if len(described) == 1 && described[0].Kind == book.Volume { // its instance is in the book
		if chain, err = demoChain(name); err != nil {
			return measuredBench{}, err
		}
	}
	return measuredBench{
		target: part, sensors: part, chain: chain, parts: described, conditions: conditions,
		environment: host.Environment{System: "simulated", ProgramVersion: Version},
	}, nil
}

// throughParts reads what --through says of a simulated drive: the name of its
// enclosure, or a chain of the demo's bench book, or parts of it with commas
// between. It sets the options, and gives the names of host and cable.
func throughParts(r benchRequest, options *sim.Options) ([]string, error) {
	through := r.through
	demo, err := demoBook()
	if err != nil {
		return nil, err
	}
	if !strings.Contains(through, ",") && !demo.HasChain(through) {
		return nil, nil // the enclosure alone
	}
	setup, err := demo.Resolve(through)
	if err != nil {
		return nil, fmt.Errorf("--through: %w", err)
	}
	var around []string
	options.Enclosure = ""
	for at, part := range setup.Parts {
		switch part.Kind {
		case book.Host, book.Cable:
			around = append(around, part.Name)
			if part.Kind == book.Host && r.shared != nil {
				options.Shared = r.sharedPort(setup.Chain.Hops[at])
			}
			options.Before = append(options.Before, setup.Chain.Hops[at])
		case book.Enclosure:
			options.Enclosure = part.Name
		}
	}
	return around, nil
}

// sharedPort gives the port that several parts are behind: it carries the data of
// one after that of the other.
func (r benchRequest) sharedPort(hop link.Hop) *sim.SharedHop {
	if r.shared[hop.Name] == nil {
		r.shared[hop.Name] = &sim.SharedHop{Carries: (hop.Usable.Low + hop.Usable.High) / 2}
	}
	return r.shared[hop.Name]
}

// demoBook is the demo's bench book.
func demoBook() (book.Book, error) { return book.Parse(examples.BenchName, examples.Bench) }

// demoChain is the chain of a part by itself, by the demo's bench book.
func demoChain(name string) (link.Chain, error) {
	demo, err := demoBook()
	if err != nil {
		return link.Chain{}, err
	}
	setup, err := demo.Resolve(name)
	return setup.Chain, err
}

// demoParts is what the demo's bench book says of simulated parts.
func demoParts(names ...string) ([]book.Part, error) {
	demo, err := demoBook()
	if err != nil {
		return nil, err
	}
	var parts []book.Part
	for _, name := range names {
		if part, known := demo.Part(name); known {
			parts = append(parts, part)
		}
	}
	return parts, nil
}

// defaultAmbient is the air of a simulated bench that nobody described.
const defaultAmbient unit.Celsius = 23

func simulatedConditions(r benchRequest) (sim.Options, error) {
	options := sim.Options{Enclosure: r.through, Ambient: defaultAmbient, Seed: r.seed, Span: r.size}
	if fan, given := r.conditions["fan"]; given {
		cooling, err := sim.ParseCooling(fan)
		if err != nil {
			return options, fmt.Errorf("condition fan: %w", err)
		}
		options.Cooling = cooling
	}
	if ambient, given := r.conditions["ambient"]; given {
		temperature, err := unit.ParseCelsius(ambient)
		if err != nil {
			return options, fmt.Errorf("condition ambient: %w", err)
		}
		options.Ambient = temperature
	}
	return options, nil
}

// celsiusCondition writes a temperature as conditions do: "23C".
func celsiusCondition(temperature unit.Celsius) string {
	return strings.ReplaceAll(temperature.String(), " °", "")
}
