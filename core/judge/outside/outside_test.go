package outside_test

import (
	"strings"
	"testing"

	"opengauge/core/judge/finding"
	"opengauge/core/judge/outside"
)

// Every class comes about, is the same for the same seed, and names kinds that there
// are.
func TestWhatIsDrawn(t *testing.T) {
	for class, name := range outside.Names() {
		one, again, other := outside.Draw(class, 7), outside.Draw(class, 7), outside.Draw(class, 8)
		if one.Table != again.Table || one.Table == other.Table {
			t.Errorf("%s: the seed does not decide", name)
		}
		if rows := strings.Count(one.Table, "\n"); rows < 60 {
			t.Errorf("%s: %d rows", name, rows)
		}
		if one.Healthy && (one.Open || len(one.Kinds) > 0) || !one.Healthy && !one.Open && len(one.Kinds) == 0 {
			t.Errorf("%s: healthy %v, open %v, kinds %v", name, one.Healthy, one.Open, one.Kinds)
		}
		for _, kind := range one.Kinds {
			known := false
			for _, each := range finding.Kinds {
				known = known || each.Name == kind
			}
			if !known {
				t.Errorf("%s: there is no kind %q", name, kind)
			}
		}
	}
}
