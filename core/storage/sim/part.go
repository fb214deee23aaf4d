// Package sim holds simulated drives in simulated enclosures, and volumes with
// provisioned limits, on a virtual clock: targets whose truth is known, in
// physical units, so that everything that runs on a real drive can be run on
// them, faster and without wear. docs/simulator.md has the equations.
//
// A part and its clock belong to one goroutine; [Together] lets several parts be
// driven at once.
package sim

import (
	_ "embed"
	"fmt"
	"maps"
	"slices"
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
	bench := Bench{Drives: map[string]Drive{}, Enclosures: map[string]Enclosure{}, Volumes: map[string]Volume{}}
	_, err = root.Read(
		parts("drives", bench.Drives, parseDrive),
		parts("volumes", bench.Volumes, parseVolume),
		parts("enclosures", bench.Enclosures, parseEnclosure),
	)
	return bench, err
}

// parts is the key with all parts of a kind, by their names.
func parts[T any](key string, into map[string]T, parse func(name string, n document.Node) (T, error)) document.Key {
	return document.Entries(key, func(entry document.Entry) (err error) {
		into[entry.Key], err = parse(entry.Key, entry.Value)
		return err
	})
}

// needed makes every key of a table a required one.
func needed(keys ...document.Key) []document.Key {
	for i := range keys {
		keys[i] = keys[i].Needed()
	}
	return keys
}

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
	number, ok := strings.CutSuffix(text, "%")
	share, err := asNumber(number)
	if err != nil || !ok || share > 100 {
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
