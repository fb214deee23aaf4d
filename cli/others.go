package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"opengauge/core/measure/run"
	"opengauge/core/storage/address"
)

// throughWord stands between a target and its chain where a plan names both.
const throughWord = " through "

// openOthers opens the targets that a plan contends with.
func (e *environment) openOthers(ctx context.Context, m measurement, base address.Request) ([]run.Other, func() error,
	error) {
	var others []run.Other
	closeAll := func() error {
		var failed error
		for _, other := range others {
			failed = errors.Join(failed, other.Target.Close())
		}
		return failed
	}
	for number, text := range m.plan.Others() {
		named, through, _ := strings.Cut(text, throughWord)
		setup, err := e.throughSetup(named, through)
		if err != nil {
			return nil, nil, errors.Join(err, closeAll())
		}
		request := base
		request.Address, request.Through, request.Setup, request.Conditions = named, through, setup, map[string]string{}
		request.Seed = base.Seed + uint64(number) + 1
		around, err := openBench(ctx, request)
		if err != nil {
			return nil, nil, errors.Join(fmt.Errorf("the plan contends with %s: %w", text, err), closeAll())
		}
		others = append(others, run.Other{Address: text, Target: around.Target, Chain: around.Chain})
	}
	return others, closeAll, nil
}
