package figure

import (
	"slices"
	"strings"
	"testing"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// swept is a session of a sweep over blocks, at so many bytes a second for each KiB.
func swept(name string, factor float64, blocks ...unit.Bytes) *session.Session {
	s := &session.Session{ID: name, Name: name}
	for i, block := range blocks {
		s.Passes = append(s.Passes, session.Pass{Index: i, Load: load.New(load.Read, load.Random, block, 4), AskedSeconds: 5,
			ElapsedSeconds: 5, BytesPerSecond: unit.BytesPerSecond(factor * float64(block/unit.KiB))})
	}
	return s
}

func TestSweepsOfSeveralSessionsAreOneFigure(t *testing.T) {
	form, _ := FormOf("sweeps")
	a := swept("a", 1e6, 4*unit.KiB, 64*unit.KiB, unit.MiB)
	b := swept("b", 2e6, 4*unit.KiB, 16*unit.KiB, 64*unit.KiB, unit.MiB)
	found := form.Of(Subject{Sessions: []*session.Session{a, b}})
	if len(found) != 1 {
		t.Fatalf("%d figures", len(found))
	}
	s := found[0].(Sweep)
	if !slices.Equal(s.Ticks, []string{"4 KiB", "16 KiB", "64 KiB", "1 MiB"}) || len(s.Lines) != 2 ||
		s.Over != "block size" {
		t.Fatalf("%+v", s)
	}
	// The first did not measure 16 KiB: its line goes over it, and the table has a gap.
	if p := s.Lines[0].Points; len(p) != 3 || p[1] != (Point{2, 64}) || p[2] != (Point{3, 1024}) {
		t.Errorf("the line of a is %v", p)
	}
	if rows := s.Table().Rows; rows[1][1] != "" || rows[1][2] != "32" || rows[3][1] != "1\u00a0024" {
		t.Errorf("the table is %v", rows)
	}
	if text := s.Summary(); !strings.Contains(text, "b from 8 to 2\u00a0048 MB/s") {
		t.Errorf("%q", text)
	}
	for name, sessions := range map[string][]*session.Session{
		"one session":  {a},
		"two values":   {swept("a", 1e6, 4*unit.KiB, unit.MiB), swept("b", 1e6, 4*unit.KiB, unit.MiB)},
		"other depths": {a, swept("c", 1e6)},
	} {
		if found := form.Of(Subject{Sessions: sessions}); len(found) != 0 {
			t.Errorf("%s: %+v", name, found)
		}
	}
}
