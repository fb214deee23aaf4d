package finding

import (
	"slices"
	"testing"

	"opengauge/core/judge/explain"
)

// Each cause that explanations may have is said by a kind of finding, and has a short name;
// no explanation has another.
func TestEachCauseIsSaid(t *testing.T) {
	var said []string
	for _, each := range explained {
		said = append(said, each.kind.Name)
	}
	for _, kind := range explain.Kinds {
		if !slices.Contains(said, kind) || explain.Short(kind) == "" {
			t.Errorf("%s is not said, or has no short name: %q", kind, explain.Short(kind))
		}
	}
	if len(said) != len(explain.Kinds) {
		t.Errorf("%d kinds are said, of %d", len(said), len(explain.Kinds))
	}
	for _, x := range explain.Explanations {
		for _, kind := range x.Kinds {
			if !slices.Contains(explain.Kinds, kind) {
				t.Errorf("%s is of %s, which is no cause", x.Name, kind)
			}
		}
	}
}
