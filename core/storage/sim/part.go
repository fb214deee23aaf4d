// Package sim holds simulated drives in simulated enclosures, and volumes with
// provisioned limits, on a virtual clock: targets whose truth is known, in
// physical units, so that everything that runs on a real drive can be run on
// them, faster and without wear. docs/simulator.md has the equations.
package sim

import (
	_ "embed"
	"fmt"
	"maps"
	"slices"
	"sort"
	"strconv"
	"strings"

	"opengauge/core/document"
	"opengauge/core/unit"
)

//go:embed bench.yaml
var benchSource []byte

// Bench is the simulated parts by name.
type Bench struct {
	Drives     map[string]Drive
	Enclosures map[string]Enclosure
	Volumes    map[string]Volume
}

// DemoBench gives the parts that ship with the program.
func DemoBench() (Bench, error) { return ParseBench("bench.yaml", benchSource) }

// ParseBench reads simulated parts written in YAML. Errors name file, line and
// column.
func ParseBench(file string, source []byte) (Bench, error) {
	root, err := document.Parse(file, source)
	if err != nil {
		return Bench{}, err
	}
	fields, err := root.Fields("drives", "enclosures", "volumes")
	if err != nil {
		return Bench{}, err
	}
	bench := Bench{}
	if bench.Drives, err = parts(fields, "drives", parseDrive); err != nil {
		return Bench{}, err
	}
	if bench.Volumes, err = parts(fields, "volumes", parseVolume); err != nil {
		return Bench{}, err
	}
	bench.Enclosures, err = parts(fields, "enclosures", parseEnclosure)
	return bench, err
}

func parts[T any](fields map[string]document.Node, key string, parse func(name string, node document.Node) (T, error)) (map[string]T, error) {
	found := map[string]T{}
	entries, err := document.Section(fields, key)
	if err != nil {
		return nil, err
	}
	for _, entry := range entries {
		if found[entry.Key], err = parse(entry.Key, entry.Value); err != nil {
			return nil, err
		}
	}
	return found, nil
}

// setter puts the value of a node into its place.
type setter func(document.Node) error

// read sets every key of a mapping. Those in required must all be there.
func read(node document.Node, required, optional map[string]setter) error {
	expected := make([]string, 0, len(required)+len(optional))
	for key := range required {
		expected = append(expected, key)
	}
	for key := range optional {
		expected = append(expected, key)
	}
	sort.Strings(expected)
	fields, err := node.Fields(expected...)
	if err != nil {
		return err
	}
	for _, key := range expected {
		value, given := fields[key]
		set, needed := required[key]
		switch {
		case !given && needed:
			return node.Errorf("the key %q is missing", key)
		case !given:
			continue
		case !needed:
			set = optional[key]
		}
		if err := set(value); err != nil {
			return err
		}
	}
	return nil
}

// into makes a setter of a parser of text.
func into[T any](place *T, parse func(string) (T, error)) setter {
	return func(node document.Node) (err error) {
		*place, err = document.Value(node, parse)
		return err
	}
}

// group makes a setter of a mapping whose keys are all required.
func group(required map[string]setter) setter {
	return func(node document.Node) error { return read(node, required, nil) }
}

func asText(text string) (string, error) { return text, nil }

func asCount(text string) (int, error) {
	count, err := strconv.Atoi(text)
	if err != nil || count < 1 || count > 4096 {
		return 0, fmt.Errorf("%q is not a whole number from 1 to 4096", text)
	}
	return count, nil
}

func asNumber(text string) (float64, error) {
	number, err := strconv.ParseFloat(text, 64)
	if err != nil || !(number >= 0 && number < 1e12) {
		return 0, fmt.Errorf("%q is not a number from 0 up", text)
	}
	return number, nil
}

// asShare reads "7%".
func asShare(text string) (float64, error) {
	number, found := strings.CutSuffix(text, "%")
	share, err := asNumber(number)
	if err != nil || !found || share > 100 {
		return 0, fmt.Errorf("%q is not a share; write one like 7%%", text)
	}
	return share / 100, nil
}

func asJoulesPerGigabyte(text string) (float64, error) {
	joules, err := asNumber(text)
	return joules / float64(unit.GB), err
}

// names lists the keys of a map for a message.
func names[T any](parts map[string]T) string {
	return strings.Join(slices.Sorted(maps.Keys(parts)), ", ")
}
