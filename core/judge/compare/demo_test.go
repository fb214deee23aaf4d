package compare_test

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/judge/compare"
	"opengauge/core/record/exchange"
	"opengauge/core/record/session"
	"opengauge/examples"
)

// recorded gives sessions of the demo bench, by name, as they ship in examples.
func recorded(t *testing.T, names ...string) []*session.Session {
	t.Helper()
	byName := map[string]*session.Session{}
	for s, err := range exchange.Read([]string{"../../examples/sessions.json.gz"}) {
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

// The simulator's fan keeps the drive from slowing down for 41 of 300 s, in which it
// would give 450 instead of 2810 MB/s.
func TestTheFanOfTheDemo(t *testing.T) {
	const want = 300 * 2810.0 / (259*2810 + 41*450)
	made, err := compare.New(recorded(t, "barnacle-automatic", "barnacle-fan-on"))
	if err != nil || len(made.Findings) != 0 || len(made.Rows) != 1 {
		t.Fatalf("%+v, %v", made, err)
	}
	if got := made.Rows[0].Contrasts[1]; got.Verdict != compare.Better || math.Abs(got.Ratio/want-1) > 0.01 || got.Basis != compare.Repeats {
		t.Errorf("fan on gives %+v, want a ratio of %.3f", got, want)
	}
	effect, err := compare.EffectOf("fan", "automatic", recorded(t, "limpet-passive", "barnacle-automatic", "barnacle-fan-on", "curlew-passive"))
	if err != nil || len(effect.Groups) != 1 || math.Abs(effect.Loads[0].Effects[0].Ratio/want-1) > 0.01 {
		t.Errorf("the effect of the fan is %+v, %v", effect.Loads, err)
	}
}

func TestTheCasesOfTheDemoDifferInMoreThanTheFan(t *testing.T) {
	made, err := compare.New(recorded(t, "limpet-passive", "barnacle-fan-on"))
	if err != nil || len(made.Findings) != 1 || made.Findings[0].Kind != "confounded" || !strings.Contains(made.Findings[0].Summary, "enclosure=barnacle, fan=on") {
		t.Errorf("findings are %+v, %v", made.Findings, err)
	}
}

// What makes it slow on deck is the cable of 5 Gbit/s.
func TestTheCableOfTheDemo(t *testing.T) {
	for _, load := range []string{"", "write sequential"} {
		made, err := compare.Isolate(recorded(t, "deck-long-cable", "cabin-long-cable", "deck-short-cable", "cabin-short-cable"), load)
		if err != nil || !made.Found || made.Suspects[0].Parts[0] != (compare.Part{Key: "cable", Value: "deck-cable"}) {
			t.Errorf("by %q: %s, %v", load, made.Verdict, err)
		}
	}
	made, err := compare.Isolate(recorded(t, "deck-long-cable", "cabin-short-cable"), "")
	if err != nil || made.Found || made.Next == nil {
		t.Errorf("two combinations that differ in host and cable: %s, %v", made.Verdict, err)
	}
}

// The larger drive costs more and keeps 190 MB/s, the simulator's rate of a spent
// write area; in the deck's chain the dearer case buys only what its port carries.
func TestTheMoneyOfTheDemo(t *testing.T) {
	book, err := book.Parse(examples.BenchName, examples.Bench)
	if err != nil {
		t.Fatal(err)
	}
	value, err := compare.ValueOf(recorded(t, "limpet-passive", "barnacle-fan-on", "dunlin-long", "curlew-passive"), compare.Terms{Book: book})
	if err != nil || len(value.Offers) != 4 {
		t.Fatalf("%+v, %v", value, err)
	}
	dunlin := value.Offers[3]
	if steady, _ := dunlin.For(compare.SteadyWrites); dunlin.Price != 109+129 || math.Abs(float64(steady.Rate)/190e6-1) > 0.02 {
		t.Errorf("the dearest offer is %+v", dunlin)
	}
	deck, err := compare.ValueOf(recorded(t, "barnacle-fan-on"), compare.Terms{Book: book, Through: "deck-tablet"})
	if writes, _ := deck.Offers[0].For(compare.Writes); err != nil || writes.HeldBy != "deck-tablet side" || writes.Rate < 961e6 || writes.Rate > 1084e6 {
		t.Errorf("on deck it writes %+v, %v", writes, err)
	}
}
