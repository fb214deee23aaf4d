package blame_test

import (
	"testing"

	"opengauge/core/judge/blame"
	"opengauge/lab/recorded"
)

// What makes it slow on deck is the cable of 5 Gbit/s.
func TestTheCableOfTheDemo(t *testing.T) {
	for _, load := range []string{"", "write sequential"} {
		made, err := blame.Isolate(recorded.Named(t, "deck-long-cable", "cabin-long-cable", "deck-short-cable",
			"cabin-short-cable"), load)
		if err != nil || !made.Found ||
			made.Suspects[0].Parts[0] != (blame.Suspected{Key: "cable", Value: "deck-cable"}) {
			t.Errorf("by %q: %s, %v", load, made.Verdict, err)
		}
	}
	made, err := blame.Isolate(recorded.Named(t, "deck-long-cable", "cabin-short-cable"), "")
	if err != nil || made.Found || made.Next == nil {
		t.Errorf("two combinations that differ in host and cable: %s, %v", made.Verdict, err)
	}
}
