package cli_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// What memory answered is told by what the device did not give: on a file system that
// journals data and so reads through its cache, and of a file with holes. Its journal is
// nobody else's load.
func TestReadsThatTheDeviceDidNotGive(t *testing.T) {
	t.Parallel()
	device := witness.Loop(t, 320*unit.MiB)
	d := newProgramDesk(t)
	holes := func(folder string) string {
		file := filepath.Join(folder, "sparse")
		if err := os.WriteFile(file, nil, 0o600); err != nil {
			t.Fatal(err)
		}
		if err := os.Truncate(file, 64<<20); err != nil {
			t.Fatal(err)
		}
		return file
	}
	for _, c := range []struct {
		name, options string
		target        func(folder string) string
		plan          string
		cached        bool
	}{
		{"a plain folder", "data=ordered", func(folder string) string { return folder }, "quick", false},
		{"a journal of data", "data=journal", func(folder string) string { return folder }, "quick", true},
		{"holes", "data=ordered", holes, "quick-read", true},
	} {
		t.Run(c.name, func(t *testing.T) {
			folder := witness.MountExt4(t, device, c.options)
			measure := []string{"measure", c.target(folder), "--plan", c.plan, "--size", "64MiB", "--hold", "400ms", "--json"}
			witness.Again(t, func() string { return cacheFault(t, d, c.cached, measure) })
		})
	}
}

// cacheFault measures, and says what is wrong with the findings about memory, or nothing.
func cacheFault(t *testing.T, d desk, cached bool, measure []string) string {
	t.Helper()
	s := decode[session.Session](t, d.must(measure...))
	kinds, device := map[string]bool{}, false
	for _, f := range s.Findings {
		kinds[f.Kind] = true
		if e, ok := finding.EvidenceOf[finding.CachedResultEvidence](f); ok && f.Kind == "cached-result" {
			device = device || e.Device != nil
		}
	}
	if kinds["cached-result"] != cached || device != cached || kinds["background-load"] {
		return fmt.Sprintf("findings are %v, of the device's counters %v", kinds, device)
	}
	if shown := d.must("explain", "latest"); cached != strings.Contains(shown, "of which the device gave") {
		return "explain says\n" + shown
	}
	return ""
}
