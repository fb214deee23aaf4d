package plan

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"opengauge/core/document"
	"opengauge/core/unit"
)

// highestFill keeps a file system from being filled to its last block.
const highestFill = 0.95

func parseFill(node document.Node, nesting int) (Step, error) {
	if nesting == 0 {
		return Step{}, node.Errorf("steps stand too deep in each other")
	}
	fields, err := node.Fields("levels", "steps")
	if err != nil {
		return Step{}, err
	}
	fill := &Fill{}
	if err := list(node, fields, "levels", &fill.Levels, parseLevel); err != nil {
		return Step{}, err
	}
	for at := 1; at < len(fill.Levels); at++ {
		if fill.Levels[at] < fill.Levels[at-1] {
			return Step{}, fields["levels"].Errorf("levels have to rise: the target is only freed at the end")
		}
	}
	steps, given := fields["steps"]
	if !given || !steps.IsList() {
		return Step{}, node.Errorf("expected a list under \"steps\"")
	}
	fill.Steps, err = parseSteps(steps, nesting-1)
	return Step{Fill: fill}, err
}

func parseLevel(text string) (float64, error) {
	level, err := ParseShare(text)
	if err == nil && level > highestFill {
		err = fmt.Errorf("level %q is above %.0f %%, and the rest stays free", text, highestFill*100)
	}
	return level, err
}

func parseSustain(node document.Node) (*Sustain, error) {
	fields, err := node.Fields("operation", "access", "block", "depth", "for", "bytes", "over", "until-steady")
	if err != nil {
		return nil, err
	}
	s := &Sustain{}
	for _, key := range []string{"operation", "access", "block", "depth"} {
		if _, given := fields[key]; !given {
			return nil, node.Errorf("the key %q is missing", key)
		}
	}
	err = firstOf(
		func() error { return optional(fields, "operation", &s.Operation, parseReadOrWrite) },
		func() error { return optional(fields, "access", &s.Access, ParseAccess) },
		func() error { return optional(fields, "block", &s.Block, ParseBlock) },
		func() error { return optional(fields, "depth", &s.Depth, ParseDepth) },
		func() error { return optional(fields, "for", &s.ForSeconds, parseHoldSeconds) },
		func() error { return optional(fields, "bytes", &s.Bytes, unit.ParseBytes) },
		func() error { return optional(fields, "over", &s.Times, parseOver) },
		func() error { return optional(fields, "until-steady", &s.RoundSeconds, parseHoldSeconds) },
	)
	if err == nil && s.ForSeconds == 0 && s.Bytes == 0 && s.Times == 0 {
		err = node.Errorf("expected when it ends: \"for\" a time, \"bytes\", or \"over\" the target so many times")
	}
	return s, err
}

func parseReadOrWrite(text string) (Operation, error) {
	operation, err := ParseOperation(text)
	if err == nil && operation == Mixed {
		err = fmt.Errorf("a sustained load is read or write, not mixed")
	}
	return operation, err
}

// parseOver reads how often a target is gone over: "2x".
func parseOver(text string) (float64, error) {
	times, err := strconv.ParseFloat(strings.TrimSuffix(text, "x"), 64)
	if err != nil || !(times > 0 && times <= 100) {
		return 0, fmt.Errorf("%q is not how often the target is gone over; write one like 2x", text)
	}
	return times, nil
}

// longestRest is how long a rest lasts where only a temperature ends it.
const longestRest = time.Hour

func parseRest(node document.Node) (*Rest, error) {
	fields, err := node.Fields("for", "until-below", "at-most")
	if err != nil {
		return nil, err
	}
	rest := &Rest{}
	below := unit.Celsius(0)
	err = firstOf(
		func() error { return optional(fields, "for", &rest.ForSeconds, parseHoldSeconds) },
		func() error { return optional(fields, "at-most", &rest.ForSeconds, parseHoldSeconds) },
		func() error { return optional(fields, "until-below", &below, unit.ParseCelsius) },
	)
	if err != nil {
		return nil, err
	}
	_, cooled := fields["until-below"]
	_, timed := fields["for"]
	_, bounded := fields["at-most"]
	switch {
	case cooled == timed, bounded && !cooled:
		return nil, node.Errorf("expected \"for\" a time, or \"until-below\" a temperature and perhaps \"at-most\" a time")
	case cooled:
		rest.BelowCelsius = &below
		if !bounded {
			rest.ForSeconds = longestRest.Seconds()
		}
	}
	return rest, nil
}
