package session

import (
	"encoding/json"
	"math"
	"testing"

	"opengauge/core/load"
	"opengauge/core/unit"
)

// What sets passes apart is what was asked and how full the storage was; which step
// asked, and in which turn, does not.
func TestWhatMakesPassesAlike(t *testing.T) {
	base := Pass{Load: load.New(load.Write, load.Random, 4*unit.KiB, 8), AskedSeconds: 5, BytesPerSecond: 1}
	for name, each := range map[string]struct {
		change func(*Pass)
		alike  bool
	}{
		"the turn":        {func(p *Pass) { p.Repeat, p.Index = 3, 9 }, true},
		"the step":        {func(p *Pass) { p.Step = "repeat" }, true},
		"what it gave":    {func(p *Pass) { p.BytesPerSecond, p.Errors = 7, 3 }, true},
		"workers unsaid":  {func(p *Pass) { p.Workers = 0 }, true},
		"depth":           {func(p *Pass) { p.Depth = 16 }, false},
		"workers":         {func(p *Pass) { p.Workers = 2 }, false},
		"block":           {func(p *Pass) { p.Block = 8 * unit.KiB }, false},
		"operation":       {func(p *Pass) { p.Operation = load.Read }, false},
		"access":          {func(p *Pass) { p.Access = load.Sequential }, false},
		"compressibility": {func(p *Pass) { p.CompressibleShare = 0.5 }, false},
		"rate":            {func(p *Pass) { p.Rate = 100 }, false},
		"durability":      {func(p *Pass) { p.Durable = true }, false},
		"span":            {func(p *Pass) { p.Span = unit.GiB }, false},
		"sustained":       {func(p *Pass) { p.Sustained = true }, false},
		"fill":            {func(p *Pass) { p.FillShare = 0.5 }, false},
	} {
		other := base
		each.change(&other)
		if (base.Key() == other.Key()) != each.alike {
			t.Errorf("passes that differ in %s: alike is %v", name, !each.alike)
		}
	}
}

// Records of older programs do not say what was asked: what lasted was asked to.
func TestSustainedPassesOfOlderRecords(t *testing.T) {
	for _, each := range []struct {
		pass Pass
		want bool
	}{
		{Pass{ElapsedSeconds: 300}, true},
		{Pass{ElapsedSeconds: 5}, false},
		{Pass{ElapsedSeconds: 5, Step: "sustain"}, true},
		{Pass{ElapsedSeconds: 300, Step: "start"}, false},
		{Pass{ElapsedSeconds: 300, AskedSeconds: 5}, false},
	} {
		if got := each.pass.Key().Load.Sustained; got != each.want {
			t.Errorf("%+v: sustained %v", each.pass, got)
		}
	}
}

// One rule for all: what was cut short or moved nothing is in no group, what had a
// failed operation is.
func TestWhichPassesCount(t *testing.T) {
	l := load.New(load.Read, load.Random, 4*unit.KiB, 1)
	s := Session{Passes: []Pass{
		{Index: 0, Load: l, BytesPerSecond: 1}, {Index: 1, Load: l, BytesPerSecond: 2, CutShort: true},
		{Index: 2, Load: l}, {Index: 3, Load: l, BytesPerSecond: 3, Errors: 1},
	}}
	groups := s.Alike(nil)
	if len(groups) != 1 || len(groups[0].Passes) != 2 || groups[0].Passes[1].Index != 3 {
		t.Errorf("groups are %+v", groups)
	}
}

// Copies have a key of their own, and never that of a load.
func TestCopiesAreNoLoads(t *testing.T) {
	s := &Session{Ends: []End{{Address: "/a"}, {Address: "/b"}}}
	there, back := Copy{Set: "archive", From: 0, To: 1}, Copy{Set: "archive", From: 1, To: 0}
	if there.Key(s) == back.Key(s) {
		t.Error("there and back are alike")
	}
	if key := there.Key(s); !key.IsCopy() || key.Load != (load.Load{}) {
		t.Errorf("the key of a copy is %+v", key)
	}
	if (&Pass{}).Key().IsCopy() {
		t.Error("a pass is a copy")
	}
}

func TestEvidenceIsKeptAsItStands(t *testing.T) {
	const text = `{"zeta":1,"alpha":"x","list":[1,2],"deep":{"b":1}}`
	var e Evidence
	if err := json.Unmarshal([]byte(text), &e); err != nil {
		t.Fatal(err)
	}
	if again, err := json.Marshal(e); err != nil || string(again) != text {
		t.Errorf("written as %s, %v", again, err)
	}
	if facts := e.Facts(); len(facts) != 4 || facts[0].Name != "zeta" || e.Fact("alpha") != "x" ||
		e.Fact("none") != nil {
		t.Errorf("facts are %+v", e.Facts())
	}
	more := e.With(map[string]any{"two": 2, "one": 1, "wrong": math.NaN()})
	if string(more) != text[:len(text)-1]+`,"one":1,"two":2}` {
		t.Errorf("with more it is %s", more)
	}
	if string(e) != text {
		t.Error("adding to evidence changes it")
	}
	for _, bad := range []string{`[1]`, `3`, `"x"`} {
		if err := json.Unmarshal([]byte(bad), &e); err == nil {
			t.Errorf("%s is taken for evidence", bad)
		}
	}
	if got := NewEvidence(struct{ X float64 }{math.Inf(1)}); string(got) != "{}" {
		t.Errorf("a figure that is no number gives %s", got)
	}
}
