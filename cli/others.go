package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"opengauge/core/measure/run"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
)

// throughWord stands between a target and its chain where a plan names both.
const throughWord = " through "

// openOthers opens the targets that a plan contends with.
func (e *environment) openOthers(addresses []string, tag string, flags *measureFlags, m measurement, shared map[string]*sim.SharedHop) ([]run.Other, func() error, error) {
	var others []run.Other
	closeAll := func() error {
		var failed error
		for _, other := range others {
			failed = errors.Join(failed, other.Target.Close())
		}
		return failed
	}
	for number, text := range addresses {
		address, through, _ := strings.Cut(text, throughWord)
		setup, err := e.throughSetup(address, through)
		if err != nil {
			return nil, nil, errors.Join(err, closeAll())
		}
		around, err := openBench(benchRequest{
			setup: setup, address: address, through: through, size: m.size, carrier: m.carrier, seed: flags.seed + uint64(number) + 1,
			conditions: map[string]string{}, tag: fmt.Sprintf("%s-%d", tag, number+1), shared: shared,
		})
		if err != nil {
			return nil, nil, errors.Join(fmt.Errorf("the plan contends with %s: %w", text, err), closeAll())
		}
		others = append(others, run.Other{Address: text, Target: around.target, Chain: around.chain})
	}
	return others, closeAll, nil
}

// together makes simulated parts keep their clocks together; real ones share one.
func together(targets []target.Target) []target.Target {
	parts := make([]*sim.Part, len(targets))
	for at, each := range targets {
		part, simulated := each.(*sim.Part)
		if !simulated {
			return slices.Clone(targets)
		}
		parts[at] = part
	}
	return sim.Together(parts)
}
