package compare_test

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/judge/compare"
	"opengauge/lab/recorded"
)

// The simulator's fan keeps the drive from slowing down for 41 of 300 s, in which it
// would give 450 instead of 2810 MB/s.
func TestTheFanOfTheDemo(t *testing.T) {
	const want = 300 * 2810.0 / (259*2810 + 41*450)
	made, err := compare.New(recorded.Named(t, "barnacle-automatic", "barnacle-fan-on"), compare.Terms{})
	if err != nil || len(made.Findings) != 0 || len(made.Rows) != 1 {
		t.Fatalf("%+v, %v", made, err)
	}
	if got := made.Rows[0].Contrasts[1]; got.Verdict != compare.Better || !(math.Abs(got.Ratio/want-1) <= 0.01) ||
		got.Basis != compare.Repeats {
		t.Errorf("fan on gives %+v, want a ratio of %.3f", got, want)
	}
	effect, err := compare.EffectOf("fan", "automatic", recorded.Named(t, "limpet-passive", "barnacle-automatic",
		"barnacle-fan-on", "curlew-passive"))
	if err != nil || len(effect.Groups) != 1 || !(math.Abs(effect.Loads[0].Effects[0].Ratio/want-1) <= 0.01) {
		t.Errorf("the effect of the fan is %+v, %v", effect.Loads, err)
	}
}

func TestTheCasesOfTheDemoDifferInMoreThanTheFan(t *testing.T) {
	made, err := compare.New(recorded.Named(t, "limpet-passive", "barnacle-fan-on"), compare.Terms{})
	if err != nil || len(made.Findings) != 1 || made.Findings[0].Kind != "confounded" ||
		!strings.Contains(made.Findings[0].Summary, "enclosure=barnacle, fan=on") {
		t.Errorf("findings are %+v, %v", made.Findings, err)
	}
}
