package run

import (
	"testing"

	"opengauge/core/plan"
)

// Every item that a step may expand into is done by somebody, and nobody waits for
// an item that no step makes.
func TestEveryItemIsDone(t *testing.T) {
	made := map[string]bool{}
	for _, kind := range plan.StepKinds {
		if len(kind.Items) == 0 {
			t.Errorf("the step %s makes nothing", kind.Name)
		}
		for _, item := range kind.Items {
			made[item.Does()] = true
			if doers[item.Does()] == nil {
				t.Errorf("nobody does %q of the step %s", item.Does(), kind.Name)
			}
		}
	}
	for does := range doers {
		if !made[does] {
			t.Errorf("no step makes what %q does", does)
		}
	}
}
