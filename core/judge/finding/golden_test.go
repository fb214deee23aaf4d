package finding_test

import (
	"encoding/json"
	"path/filepath"
	"testing"

	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/recorded"
	"opengauge/lab/witness"
)

// Everything that is found in the demo's sessions, with its evidence, and what was
// rejected, in two notations.
func TestWhatIsFoundInTheDemo(t *testing.T) {
	for name, notation := range map[string]unit.Notation{"decimal": unit.Decimal, "bits": unit.Bits} {
		found := map[string][]session.Finding{}
		for _, s := range recorded.All(t) {
			found[s.Name] = finding.Detect(s, notation)
		}
		text, err := json.MarshalIndent(found, "", " ")
		if err != nil {
			t.Fatal(err)
		}
		witness.CheckKept(t, filepath.Join("testdata", "demo-"+name+".json"), string(text))
	}
}
