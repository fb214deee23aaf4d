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
	for _, node := range steps.List() {
		step, err := parseStep(node)
		if err != nil {
			return Plan{}, err
		}
		parsed.Steps = append(parsed.Steps, step)
	}
	return parsed, parsed.checkCount(root)
}

func (p Plan) checkCount(root document.Node) error {
	total := 0
	for _, step := range p.Steps {
		s := step.Sweep
		total += len(s.Operation) * len(s.Access) * len(s.Block) * len(s.Depth)
	}
	if total == 0 {
		return root.Errorf("the plan has no steps")
	}
	if total > maxPasses {
		return root.Errorf("the plan asks for %d passes; at most %d are allowed", total, maxPasses)
	}
	return nil
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

func parseStep(node document.Node) (Step, error) {
	fields, err := node.Fields("sweep")
	if err != nil {
		return Step{}, err
	}
	if len(fields) != 1 {
		return Step{}, node.Errorf("expected exactly one step here")
	}
	sweep, err := parseSweep(fields["sweep"])
	if err != nil {
		return Step{}, err
	}
	return Step{Sweep: sweep}, nil
}

func parseSweep(node document.Node) (*Sweep, error) {
	fields, err := node.Fields("operation", "access", "block", "depth", "hold")
	if err != nil {
		return nil, err
	}
	sweep := &Sweep{}
	if sweep.Operation, err = listOf(node, fields, "operation", parseOperation); err != nil {
		return nil, err
	}
	if sweep.Access, err = listOf(node, fields, "access", parseAccess); err != nil {
		return nil, err
	}
	if sweep.Block, err = listOf(node, fields, "block", parseBlock); err != nil {
		return nil, err
	}
	if sweep.Depth, err = listOf(node, fields, "depth", parseDepth); err != nil {
		return nil, err
	}
	if hold, given := fields["hold"]; given {
		if sweep.HoldSeconds, err = valueOf(hold, parseHoldSeconds); err != nil {
			return nil, err
		}
	}
	return sweep, nil
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
		value, err := valueOf(element, parse)
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

func valueOf[T any](node document.Node, parse func(string) (T, error)) (T, error) {
	var none T
	text, err := node.Text()
	if err != nil {
		return none, err
	}
	value, err := parse(text)
	if err != nil {
		return none, node.Errorf("%s", err)
	}
	return value, nil
}

func parseOperation(text string) (Operation, error) {
	switch operation := Operation(text); operation {
	case Read, Write:
		return operation, nil
	}
	return "", fmt.Errorf("unknown operation %q; expected read or write", text)
}

func parseAccess(text string) (Access, error) {
	switch access := Access(text); access {
	case Sequential, Random:
		return access, nil
	}
	return "", fmt.Errorf("unknown access order %q; expected sequential or random", text)
}

func parseBlock(text string) (unit.Bytes, error) {
	block, err := unit.ParseBytes(text)
	if err != nil {
		return 0, err
	}
	if block < SmallestBlock || block > LargestBlock || block%SmallestBlock != 0 {
		return 0, fmt.Errorf("block size %q is not a multiple of 512 B between 512 B and 16 MiB", text)
	}
	return block, nil
}

func parseDepth(text string) (int, error) {
	depth, err := strconv.Atoi(text)
	if err != nil || depth < 1 || depth > LargestDepth {
		return 0, fmt.Errorf("depth %q is not a whole number from 1 to %d", text, LargestDepth)
	}
	return depth, nil
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
