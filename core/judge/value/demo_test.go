package value_test

import (
	"math"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/judge/value"
	"opengauge/core/unit"
	"opengauge/examples"
	"opengauge/lab/recorded"
)

// The larger drive costs more and keeps 190 MB/s, the simulator's rate of a spent
// write area; in the deck's chain the dearer case buys only what its port carries.
func TestTheMoneyOfTheDemo(t *testing.T) {
	parts, err := book.Parse(examples.BenchName, examples.Bench)
	if err != nil {
		t.Fatal(err)
	}
	made, err := value.Of(recorded.Named(t, "limpet-passive", "barnacle-fan-on", "dunlin-long", "curlew-passive"),
		value.Terms{Book: parts}, unit.Decimal)
	if err != nil || len(made.Offers) != 4 {
		t.Fatalf("%+v, %v", made, err)
	}
	dunlin := made.Offers[3]
	if steady, _ := dunlin.For(value.SteadyWrites); dunlin.Price != 109+129 ||
		!(math.Abs(float64(steady.Rate)/190e6-1) <= 0.02) {
		t.Errorf("the dearest offer is %+v", dunlin)
	}
	deck, err := value.Of(recorded.Named(t, "barnacle-fan-on"), value.Terms{Book: parts, Through: "deck-tablet"},
		unit.Decimal)
	if writes, _ := deck.Offers[0].For(value.Writes); err != nil || writes.HeldBy != "deck-tablet side" ||
		writes.Rate < 961e6 || writes.Rate > 1084e6 {
		t.Errorf("on deck it writes %+v, %v", writes, err)
	}
}
