package blame_test

import (
	"testing"

	"opengauge/core/judge/blame"
	"opengauge/core/record/exchange"
	"opengauge/core/record/session"
)

// recorded gives sessions of the demo bench, by name, as they ship in examples.
func recorded(t *testing.T, names ...string) []*session.Session {
	t.Helper()
	byName := map[string]*session.Session{}
	for s, err := range exchange.Read([]string{"../../../examples/sessions.json.gz"}) {
		if err != nil {
			t.Fatal(err)
		}
		byName[s.Name] = s
	}
	var chosen []*session.Session
	for _, name := range names {
		if byName[name] == nil {
			t.Fatalf("no recorded session is called %s", name)
		}
		chosen = append(chosen, byName[name])
	}
	return chosen
}

// What makes it slow on deck is the cable of 5 Gbit/s.
func TestTheCableOfTheDemo(t *testing.T) {
	for _, load := range []string{"", "write sequential"} {
		made, err := blame.Isolate(recorded(t, "deck-long-cable", "cabin-long-cable", "deck-short-cable",
			"cabin-short-cable"), load)
		if err != nil || !made.Found ||
			made.Suspects[0].Parts[0] != (blame.Suspected{Key: "cable", Value: "deck-cable"}) {
			t.Errorf("by %q: %s, %v", load, made.Verdict, err)
		}
	}
	made, err := blame.Isolate(recorded(t, "deck-long-cable", "cabin-short-cable"), "")
	if err != nil || made.Found || made.Next == nil {
		t.Errorf("two combinations that differ in host and cable: %s, %v", made.Verdict, err)
	}
}
