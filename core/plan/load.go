package plan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"opengauge/core/document"
	"opengauge/core/unit"
)

// DefaultHold is how long a pass counts where neither plan nor caller say.
const DefaultHold = 5 * time.Second

// maxPasses keeps a crossed list with a slip in it from asking for a year.
const maxPasses = 10_000

// Parse reads a plan written in YAML. The file name is for messages, which
// name the line and column and say what was expected.
func Parse(file string, source []byte) (Plan, error) {
	root, err := document.Parse(file, source)
	if err != nil {
		return Plan{}, err
	}
	fields, err := root.Fields("plan", "about", "steps")
	if err != nil {
		return Plan{}, err
	}
	parsed := Plan{}
	if parsed.Name, err = required(root, fields, "plan"); err != nil {
		return Plan{}, err
	}
	if about, given := fields["about"]; given {
		if parsed.About, err = about.Text(); err != nil {
			return Plan{}, err
		}
	}
	steps, given := fields["steps"]
	if !given || !steps.IsList() {
		return Plan{}, root.Errorf("expected a list under \"steps\"")
	}
	if parsed.Steps, err = parseSteps(steps, mostNesting); err != nil {
		return Plan{}, err
	}
	switch total := count(parsed.Steps); {
	case total == 0:
		return Plan{}, root.Errorf("the plan has no steps")
	case total > maxPasses:
		return Plan{}, root.Errorf("the plan asks for %d passes; at most %d are allowed", total, maxPasses)
	}
	return parsed, nil
}

// mostNesting is how deep repeats may stand in each other.
const mostNesting = 3

func parseSteps(node document.Node, nesting int) ([]Step, error) {
	var steps []Step
	for _, each := range node.List() {
		step, err := parseStep(each, nesting)
		if err != nil {
			return nil, err
		}
		steps = append(steps, step)
	}
	return steps, nil
}

// count is how many passes steps ask for, found without making them.
func count(steps []Step) int {
	total := 0
	for _, step := range steps {
		if step.Repeat != nil {
			total += step.Repeat.Times * count(step.Repeat.Steps)
			continue
		}
		if step.Fill != nil {
			total += len(step.Fill.Levels) * count(step.Fill.Steps)
			continue
		}
		s := step.Sweep
		if s == nil { // one pass, or a rest
			total++
			continue
		}
		total += len(s.Operation) * len(s.Access) * len(s.Block) * len(s.Depth) *
			max(len(s.Workers), 1) * max(len(s.CompressibleShare), 1) * max(len(s.Rate), 1)
	}
	return min(total, 1e9)
}

func required(parent document.Node, fields map[string]document.Node, key string) (string, error) {
	node, given := fields[key]
	if !given {
		return "", parent.Errorf("the key %q is missing", key)
	}
	text, err := node.Text()
	if err != nil {
		return "", err
	}
	if strings.TrimSpace(text) == "" {
		return "", node.Errorf("expected a name, found nothing")
	}
	return text, nil
}

func parseStep(node document.Node, nesting int) (Step, error) {
	fields, err := node.Fields("sweep", "sustain", "repeat", "fill", "rest", "contend", "start")
	if err != nil {
		return Step{}, err
	}
	if len(fields) != 1 {
		return Step{}, node.Errorf("expected exactly one step here")
	}
	for key, value := range fields {
		switch key {
		case "repeat":
			return parseRepeat(value, nesting)
		case "fill":
			return parseFill(value, nesting)
		case "sustain":
			sustain, err := parseSustain(value)
			return Step{Sustain: sustain}, err
		case "rest":
			rest, err := parseRest(value)
			return Step{Rest: rest}, err
		case "contend":
			contend, err := parseContend(value)
			return Step{Contend: contend}, err
		case "start":
			start, err := parseStart(value)
			return Step{Start: start}, err
		}
	}
	sweep, err := parseSweep(fields["sweep"])
	return Step{Sweep: sweep}, err
}

func parseRepeat(node document.Node, nesting int) (Step, error) {
	if nesting == 0 {
		return Step{}, node.Errorf("repeats stand too deep in each other")
	}
	fields, err := node.Fields("times", "until-within", "steps")
	if err != nil {
		return Step{}, err
	}
	repeat := &Repeat{}
	if err := firstOf(
		func() error { return optional(fields, "times", &repeat.Times, parseTimes) },
		func() error { return optional(fields, "until-within", &repeat.Within, ParseWithin) },
	); err != nil {
		return Step{}, err
	}
	steps, given := fields["steps"]
	if !given || !steps.IsList() || repeat.Times == 0 {
		return Step{}, node.Errorf("expected \"times\" and a list under \"steps\"")
	}
	repeat.Steps, err = parseSteps(steps, nesting-1)
	return Step{Repeat: repeat}, err
}

func parseSweep(node document.Node) (*Sweep, error) {
	fields, err := node.Fields("operation", "access", "block", "depth", "workers", "write-share", "compressible",
		"rate", "durable", "span", "hold", "bytes", "within", "adaptive")
	if err != nil {
		return nil, err
	}
	s := &Sweep{}
	err = firstOf(
		func() error { return list(node, fields, "operation", &s.Operation, ParseOperation) },
		func() error { return list(node, fields, "access", &s.Access, ParseAccess) },
		func() error { return list(node, fields, "block", &s.Block, ParseBlock) },
		func() error { return list(node, fields, "depth", &s.Depth, ParseDepth) },
		func() error { return optionalList(node, fields, "workers", &s.Workers, ParseWorkers) },
		func() error {
			return optionalList(node, fields, "compressible", &s.CompressibleShare, ParseShare)
		},
		func() error { return optionalList(node, fields, "rate", &s.Rate, ParseRate) },
		func() error { return optional(fields, "write-share", &s.WriteShare, ParseShare) },
		func() error { return optional(fields, "durable", &s.Durable, parseYesNo) },
		func() error { return optional(fields, "span", &s.Span, ParseSpan) },
		func() error { return optional(fields, "hold", &s.HoldSeconds, parseHoldSeconds) },
		func() error { return optional(fields, "bytes", &s.Bytes, unit.ParseBytes) },
		func() error { return optional(fields, "within", &s.Within, ParseWithin) },
		func() error { return optional(fields, "adaptive", &s.Adaptive, parseYesNo) },
	)
	if err != nil {
		return nil, err
	}
	_, given := fields["write-share"]
	if slices.Contains(s.Operation, Mixed) != given {
		return nil, node.Errorf("\"write-share\" belongs to the operation mixed, and mixed needs it")
	}
	return s, nil
}

// firstOf gives the first error.
func firstOf(steps ...func() error) error {
	for _, step := range steps {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

func list[T comparable](parent document.Node, fields map[string]document.Node, key string, place *[]T, parse func(string) (T, error)) (err error) {
	*place, err = listOf(parent, fields, key, parse)
	return err
}

func optionalList[T comparable](parent document.Node, fields map[string]document.Node, key string, place *[]T, parse func(string) (T, error)) error {
	if _, given := fields[key]; !given {
		return nil
	}
	return list(parent, fields, key, place, parse)
}

func optional[T any](fields map[string]document.Node, key string, place *T, parse func(string) (T, error)) (err error) {
	if node, given := fields[key]; given {
		*place, err = document.Value(node, parse)
	}
	return err
}

// listOf reads the values under a key, of which there must be at least one,
// each of them once.
func listOf[T comparable](parent document.Node, fields map[string]document.Node, key string, parse func(string) (T, error)) ([]T, error) {
	node, given := fields[key]
	if !given {
		return nil, parent.Errorf("the key %q is missing", key)
	}
	var values []T
	for _, element := range node.List() {
		value, err := document.Value(element, parse)
		if err != nil {
			return nil, err
		}
		if slices.Contains(values, value) {
			return nil, element.Errorf("%v stands in this list twice", value)
		}
		values = append(values, value)
	}
	if len(values) == 0 {
		return nil, node.Errorf("expected at least one value for %q", key)
	}
	return values, nil
}

// ParseOperation reads "read", "write" or "mixed".
func ParseOperation(text string) (Operation, error) {
	switch operation := Operation(text); operation {
	case Read, Write, Mixed:
		return operation, nil
	}
	return "", fmt.Errorf("unknown operation %q; expected read, write or mixed", text)
}

// ParseAccess reads "sequential" or "random".
func ParseAccess(text string) (Access, error) {
	switch access := Access(text); access {
	case Sequential, Random:
		return access, nil
	}
	return "", fmt.Errorf("unknown access order %q; expected sequential or random", text)
}

// ParseBlock reads a block size.
func ParseBlock(text string) (unit.Bytes, error) {
	block, err := unit.ParseBytes(text)
	if err != nil {
		return 0, err
	}
	if block < SmallestBlock || block > LargestBlock || block%SmallestBlock != 0 {
		return 0, fmt.Errorf("block size %q is not a multiple of 512 B between 512 B and 16 MiB", text)
	}
	return block, nil
}

// ParseDepth reads a queue depth.
func ParseDepth(text string) (int, error) {
	depth, err := strconv.Atoi(text)
	if err != nil || depth < 1 || depth > LargestDepth {
		return 0, fmt.Errorf("depth %q is not a whole number from 1 to %d", text, LargestDepth)
	}
	return depth, nil
}

// ParseSpan reads which part of a target, from its start, is touched.
func ParseSpan(text string) (unit.Bytes, error) {
	span, err := unit.ParseBytes(text)
	if err == nil && (span < SmallestBlock || span%SmallestBlock != 0) {
		err = fmt.Errorf("span %q is not a multiple of %s", text, SmallestBlock)
	}
	return span, err
}

// ParseWorkers reads how many workers drive a queue each.
func ParseWorkers(text string) (int, error) {
	workers, err := strconv.Atoi(text)
	if err != nil || workers < 1 || workers > MostWorkers {
		return 0, fmt.Errorf("%q workers is not a whole number from 1 to %d", text, MostWorkers)
	}
	return workers, nil
}

func parseTimes(text string) (int, error) {
	times, err := strconv.Atoi(text)
	if err != nil || times < 1 || times > MostRepeats {
		return 0, fmt.Errorf("%q times is not a whole number from 1 to %d", text, MostRepeats)
	}
	return times, nil
}

// ParseShare reads a share: "30%" or "0.3".
func ParseShare(text string) (float64, error) {
	number, percent := strings.CutSuffix(strings.TrimSpace(text), "%")
	share, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
	if percent {
		share /= 100
	}
	if err != nil || !(share >= 0 && share <= 1) {
		return 0, fmt.Errorf("%q is not a share; write one like 30%%", text)
	}
	return share, nil
}

// ParseWithin reads how well a throughput has to be known: "1%".
func ParseWithin(text string) (float64, error) {
	share, err := ParseShare(text)
	if err != nil || share < 0.0001 || share > 0.5 {
		return 0, fmt.Errorf("%q is not a precision between 0.01%% and 50%%", text)
	}
	return share, nil
}

// ParseRate reads how many operations arrive a second: "2000".
func ParseRate(text string) (float64, error) {
	rate, err := strconv.ParseFloat(text, 64)
	if err != nil || !(rate >= 0.01 && rate <= HighestRate) {
		return 0, fmt.Errorf("rate %q is not a number of operations a second that a device can have", text)
	}
	return rate, nil
}

func parseYesNo(text string) (bool, error) {
	switch text {
	case "true", "yes":
		return true, nil
	case "false", "no":
		return false, nil
	}
	return false, fmt.Errorf("%q is neither yes nor no", text)
}

func parseHoldSeconds(text string) (float64, error) {
	hold, err := ParseHold(text)
	return hold.Seconds(), err
}

// ParseHold reads how long a pass counts: "5s", "500ms", "10m".
func ParseHold(text string) (time.Duration, error) {
	hold, err := time.ParseDuration(text)
	if err != nil {
		return 0, fmt.Errorf("%q is not a time; write one like 5s, 500ms or 10m", text)
	}
	if hold < ShortestHold || hold > LongestHold {
		return 0, fmt.Errorf("a pass of %s is not between %s and %s", text, ShortestHold, LongestHold)
	}
	return hold, nil
}
