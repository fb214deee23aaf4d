package document

import (
	"strings"
	"testing"
	"time"

	"opengauge/lab/witness"
)

// What is nested too deeply is refused at once, however it is written; what people write
// is not.
func TestDeepDocumentsAreRefused(t *testing.T) {
	const many = 20000
	steps := ""
	for i := range 1200 {
		steps += strings.Repeat(" ", i) + "a:\n"
	}
	for name, text := range map[string]string{
		"lists":            "steps: " + strings.Repeat("[", many),
		"closed lists":     "steps: " + strings.Repeat("[", many) + strings.Repeat("]", many),
		"mappings":         "steps: " + strings.Repeat("{a: ", many),
		"entries of lists": strings.Repeat("- ", many) + "a",
		"indented":         steps,
		"keys":             strings.Repeat("? ", many) + "a",
	} {
		var err error
		took := witness.ProcessorTime(func() { _, err = Parse("plan.yaml", []byte(text)) })
		if err == nil || took > time.Second {
			t.Errorf("%s: after %s of processor time %v", name, took, err)
		}
		if name != "keys" && !strings.Contains(err.Error(), "nested more than 50 deep") {
			t.Errorf("%s: %v", name, err)
		}
	}
	sweeps := strings.Repeat("  - sweep:\n      - {operation: [read, write], block: [4KiB, \"[[[[\"], depth: 1}\n", 500)
	if _, err := Parse("plan.yaml", []byte("steps:\n"+sweeps)); err != nil {
		t.Errorf("a long document is refused: %v", err)
	}
	deep := "a:\n"
	for i := range 40 {
		deep += strings.Repeat(" ", i+1) + "a:\n"
	}
	if _, err := Parse("plan.yaml", []byte(deep+strings.Repeat(" ", 42)+"b")); err != nil {
		t.Errorf("forty levels are refused: %v", err)
	}
}
