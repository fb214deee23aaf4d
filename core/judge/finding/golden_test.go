package finding_test

import (
	"encoding/json"
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/judge/finding"
	"opengauge/core/record/recorded"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var update = flag.Bool("update", false, "write testdata anew: read what changed first")

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
		file := filepath.Join("testdata", "demo-"+name+".json")
		if *update {
			if err := os.WriteFile(file, text, 0o600); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		wanted := strings.Split(string(want), "\n")
		for i, line := range strings.Split(string(text), "\n") {
			if i >= len(wanted) || wanted[i] != line {
				t.Errorf("%s, line %d is now %s", file, i+1, line)
				break
			}
		}
		if len(text) < len(want) {
			t.Errorf("%s is longer than what is found now", file)
		}
	}
}
