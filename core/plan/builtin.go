package plan

import (
	"embed"
	"errors"
	"fmt"
	"os"
	"path"
	"slices"
	"strings"

	"opengauge/core/input"
)

//go:embed builtin/*.yaml
var builtin embed.FS

// BuiltIn gives the plans that ship with the program, by name in order.
func BuiltIn() ([]Plan, error) {
	entries, err := builtin.ReadDir("builtin")
	if err != nil {
		return nil, err
	}
	plans := make([]Plan, 0, len(entries))
	for _, entry := range entries {
		source, err := builtin.ReadFile(path.Join("builtin", entry.Name()))
		if err != nil {
			return nil, err
		}
		parsed, err := Parse(entry.Name(), source)
		if err != nil {
			return nil, err
		}
		plans = append(plans, parsed)
	}
	slices.SortFunc(plans, func(a, b Plan) int { return strings.Compare(a.Name, b.Name) })
	return plans, nil
}

// Load gives the built-in plan of that name, or else the plan in that file.
func Load(nameOrFile string) (Plan, error) {
	plans, err := BuiltIn()
	if err != nil {
		return Plan{}, err
	}
	names := make([]string, len(plans))
	for i, known := range plans {
		if known.Name == nameOrFile {
			return known, nil
		}
		names[i] = known.Name
	}
	source, err := input.ReadFile(nameOrFile, input.Text)
	if errors.Is(err, os.ErrNotExist) {
		return Plan{}, fmt.Errorf("unknown plan %q: not built in (%s), and no such file", nameOrFile,
			strings.Join(names, ", "))
	}
	if err != nil {
		return Plan{}, fmt.Errorf("reading plan: %w", err)
	}
	return Parse(nameOrFile, source)
}
