package run

import (
	"context"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"opengauge/core/plan"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// A folder is filled with files to its levels and measured in its test file there; all of
// that is told and counted, and nothing stays.
func TestAFolderIsFilledToItsLevels(t *testing.T) {
	place := witness.MountExt4(t, witness.Loop(t, 64*unit.MiB), "noatime")
	request := folder(t, place,
		must(t)(plan.Parse("plan.yaml", []byte("plan: p\nsteps:\n  - fill:\n      levels: [40%, 60%]\n"+
			"      steps:\n        - sweep: {operation: [read, write], access: sequential, block: 64KiB, depth: 2, "+
			"bytes: 1MiB}\n"))))
	request.Hold = time.Minute // its bytes end a pass
	var told []string
	s, err := Run(context.Background(), request, &notebook{}, func(p Progress) {
		if len(told) == 0 || told[len(told)-1] != p.Doing {
			told = append(told, p.Doing)
		}
	})
	if err != nil || len(s.Passes) != 4 {
		t.Fatalf("%d passes, %v", len(s.Passes), err)
	}
	for i, p := range s.Passes {
		if p.FillShare != []float64{0.4, 0.4, 0.6, 0.6}[i] || p.Bytes != unit.MiB ||
			p.Lateness != nil {
			t.Errorf("pass %d: %.2f full, %d bytes, late %v", i, p.FillShare, p.Bytes, p.Lateness)
		}
	}
	all := strings.Join(told, "; ")
	for _, want := range []string{"filling the test file", "filling to 40 %, at 40 %", "filling to 60 %, at"} {
		if !strings.Contains(all, want) {
			t.Errorf("%q is not told: %s", want, all)
		}
	}
	// The test file and two passes of writes, and 40 and 60 % of some 55 MiB but for what was there.
	if moved := s.Moved[0]; moved.ReadBytes != 2*unit.MiB || moved.WrittenBytes < 24*unit.MiB ||
		moved.WrittenBytes > 40*unit.MiB {
		t.Errorf("moved %+v", moved)
	}
	if left, _ := filepath.Glob(filepath.Join(place, "*filler*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}
