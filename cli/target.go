package cli

import (
	"fmt"
	"strings"

	"opengauge/core/link"
	"opengauge/core/sensor"
	"opengauge/core/session"
	"opengauge/core/sim"
	"opengauge/core/survey"
	"opengauge/core/target"
	"opengauge/core/unit"
)

// bench is a target with what stands around it.
type bench struct {
	target      target.Target
	sensors     sensor.Thermometers
	chain       link.Chain
	conditions  map[string]string
	environment session.Environment
}

// benchRequest is what the command line says about the bench.
type benchRequest struct {
	address   string
	through   string
	size      unit.Bytes
	carrier   target.Carrier
	overwrite string
	// overwriteContents allows to overwrite what a device holds.
	overwriteContents bool
	seed              uint64
	conditions        map[string]string
	tag               string
}

// openBench opens what an address names: a simulated part, or a path.
func openBench(r benchRequest) (bench, error) {
	if name, simulated := strings.CutPrefix(r.address, sim.Prefix); simulated {
		return openSimulated(name, r)
	}
	if r.through != "" {
		return bench{}, usageError{fmt.Errorf("--through names a simulated enclosure, and %s is not simulated", r.address)}
	}
	opened, err := target.OpenPath(r.address, target.PathOptions{Size: r.size, Carrier: r.carrier, Tag: r.tag,
		Overwrite: r.overwrite, OverwriteContents: r.overwriteContents})
	if err != nil {
		return bench{}, err
	}
	return bench{
		target: opened, sensors: sensor.None{}, chain: link.NewChain(),
		conditions: r.conditions, environment: survey.Environment(Version),
	}, nil
}

// openSimulated puts a simulated drive on the bench. Conditions that a
// simulation knows (fan, ambient) set it; those that are not given are added,
// so that the session says what it was.
func openSimulated(name string, r benchRequest) (bench, error) {
	parts, err := sim.DemoBench()
	if err != nil {
		return bench{}, err
	}
	options, err := simulatedConditions(r)
	if err != nil {
		return bench{}, usageError{err}
	}
	part, err := parts.Open(name, options)
	if err != nil {
		return bench{}, usageError{err}
	}
	conditions := map[string]string{
		"enclosure": part.EnclosureName(), "fan": string(part.Cooling()), "ambient": celsiusCondition(part.Ambient()),
	}
	for key, value := range r.conditions {
		conditions[key] = value
	}
	return bench{
		target: part, sensors: part, chain: part.Chain(), conditions: conditions,
		environment: session.Environment{System: "simulated", ProgramVersion: Version},
	}, nil
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
