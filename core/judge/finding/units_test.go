package finding_test

import (
	"strings"
	"testing"

	"opengauge/core/judge/finding"
	"opengauge/core/unit"
	"opengauge/lab/recorded"
)

// The units that are asked for reach every sentence of every finding of the demo's
// sessions, and change nothing else.
func TestUnitsReachEverySentence(t *testing.T) {
	symbols := map[unit.Notation]string{unit.Decimal: "MB/s", unit.Binary: "MiB/s", unit.Bits: "Gbit/s"}
	said := map[unit.Notation]int{}
	for _, s := range recorded.All(t) {
		plain := finding.Detect(s, unit.Decimal)
		for n := range symbols {
			found := finding.Detect(s, n)
			if len(found) != len(plain) {
				t.Fatalf("%s has %d findings, in %s %d", s.Name, len(plain), symbols[n], len(found))
			}
			for i, f := range found {
				quotes := strings.HasSuffix(f.Kind, "-rating") // the maker's figures, as texts with their units
				if f.Kind != plain[i].Kind || !quotes && string(f.Evidence) != string(plain[i].Evidence) {
					t.Errorf("%s: the evidence of %s changes with the units", s.Name, f.Kind)
				}
				for other, symbol := range symbols {
					texts := []string{f.Summary, f.Advice}
					for _, rejected := range f.Rejected {
						texts = append(texts, rejected.Why)
					}
					for _, text := range texts {
						if other != n && strings.Contains(text, symbol) {
							t.Errorf("%s: %s in %s says %q", s.Name, f.Kind, symbols[n], text)
						}
					}
				}
				said[n] += strings.Count(f.Summary, symbols[n])
			}
		}
	}
	if said[unit.Decimal] < 10 || said[unit.Decimal] != said[unit.Bits] || said[unit.Decimal] != said[unit.Binary] {
		t.Errorf("throughputs are said so many times: %v", said)
	}
}
