package address

import (
	"fmt"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
)

// openSimulated puts a simulated drive on the bench. Conditions that a
// simulation knows (fan, ambient) set it; those that are not given are added,
// so that the session says what it was.
func openSimulated(name string, r Request) (Opened, error) {
	parts, err := r.simulatedParts()
	if err != nil {
		return Opened{}, err
	}
	options, err := simulatedConditions(r)
	if err != nil {
		return Opened{}, Misused{err}
	}
	around, err := throughParts(r, &options)
	if err != nil {
		return Opened{}, Misused{err}
	}
	part, err := parts.Open(name, options)
	if err != nil {
		return Opened{}, Misused{err}
	}
	conditions := map[string]string{}
	if part.EnclosureName() != "" { // a volume is in none
		conditions["enclosure"], conditions["fan"] = part.EnclosureName(), string(part.Cooling())
		conditions["ambient"] = celsiusCondition(part.Ambient())
	}
	for key, value := range r.Conditions {
		conditions[key] = value
	}
	var described []book.Part
	for _, name := range append(around, part.EnclosureName(), name) {
		if known, ok := r.Demo.Part(name); ok {
			described = append(described, known)
		}
	}
	chain := part.Chain()
	if len(described) == 1 && described[0].Kind == book.Volume { // its instance is in the book
		setup, err := r.Demo.Resolve(name)
		if err != nil {
			return Opened{}, err
		}
		chain = setup.Chain
	}
	return Opened{
		Target: part, Sensors: part, Chain: chain, Parts: described, Conditions: conditions,
		Environment: host.Environment{System: "simulated", ProgramVersion: r.Version},
	}, nil
}

func (r Request) simulatedParts() (sim.Bench, error) {
	if r.Parts != nil {
		return *r.Parts, nil
	}
	return sim.DemoBench()
}

// throughParts reads what is said of the way to a simulated drive. It sets the
// options, and gives the names of host and cable.
func throughParts(r Request, options *sim.Options) ([]string, error) {
	if !strings.Contains(r.Through, ",") && !r.Demo.HasChain(r.Through) {
		return nil, nil // the enclosure alone
	}
	setup, err := r.Demo.Resolve(r.Through)
	if err != nil {
		return nil, fmt.Errorf("--through: %w", err)
	}
	var around []string
	options.Enclosure = ""
	for i, part := range setup.Parts {
		switch part.Kind {
		case book.Host, book.Cable:
			around = append(around, part.Name)
			if part.Kind == book.Host && r.Shared != nil {
				options.Shared = r.sharedPort(setup.Chain.Hops[i])
			}
			options.Before = append(options.Before, setup.Chain.Hops[i])
		case book.Enclosure:
			options.Enclosure = part.Name
		}
	}
	return around, nil
}

// sharedPort gives the port that several parts are behind: it carries the data of
// one after that of the other.
func (r Request) sharedPort(hop link.Hop) *sim.SharedHop {
	if r.Shared[hop.Name] == nil {
		r.Shared[hop.Name] = &sim.SharedHop{Carries: (hop.Usable.Low + hop.Usable.High) / 2}
	}
	return r.Shared[hop.Name]
}

// defaultAmbient is the air of a simulated bench that nobody described.
const defaultAmbient unit.Celsius = 23

func simulatedConditions(r Request) (sim.Options, error) {
	options := sim.Options{Enclosure: r.Through, Ambient: defaultAmbient, Seed: r.Seed, Span: r.Size, Contact: r.Contact,
		After: r.After, Firmware: r.Conditions["firmware"]}
	if fan, ok := r.Conditions["fan"]; ok {
		cooling, err := sim.ParseCooling(fan)
		if err != nil {
			return options, fmt.Errorf("condition fan: %w", err)
		}
		options.Cooling = cooling
	}
	if ambient, ok := r.Conditions["ambient"]; ok {
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
