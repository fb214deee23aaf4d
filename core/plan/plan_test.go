package plan

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"opengauge/core/load"
	"opengauge/core/unit"
)

const portholeCheck = `plan: porthole-check
about: What the drive does behind the deck port.
steps:
  - sweep:
      operation: [read, write]
      access: [sequential, random]
      block: [4KiB, 1MiB]
      depth: [1, 8, 32]
      hold: 2s
  - sweep: {operation: read, access: sequential, block: 64KiB, depth: 4}
`

func TestSweepCrossesItsLists(t *testing.T) {
	p, err := Parse("porthole.yaml", []byte(portholeCheck))
	if err != nil {
		t.Fatal(err)
	}
	passes := p.Passes(5 * time.Second)
	if len(passes) != 2*2*2*3+1 {
		t.Fatalf("%d passes, want 25", len(passes))
	}
	want := Pass{Index: 5, Step: "sweep", Load: load.New(load.Read, load.Sequential, unit.MiB, 32),
		End: End{Hold: 2 * time.Second}}
	if passes[5] != want {
		t.Errorf("pass 5 is %+v, want %+v", passes[5], want)
	}
	if last := passes[24]; last.Hold != 5*time.Second || last.Block != 64*unit.KiB {
		t.Errorf("the last pass is %+v, want the caller's hold and 64 KiB", last)
	}
	if !p.Writes() || p.LargestBlock() != unit.MiB {
		t.Errorf("writes %v, largest block %s", p.Writes(), p.LargestBlock())
	}
}

func TestParseErrorsSayWhereAndWhat(t *testing.T) {
	sweep := func(body string) string { return "plan: p\nsteps:\n  - sweep: {" + body + "}\n" }
	const good = "operation: read, access: random, block: 4KiB, depth: 1"
	cases := []struct{ name, source, want string }{
		{"no name", "steps: []", `the key "plan" is missing`},
		{"no steps", "plan: p", `expected a list under "steps"`},
		{"empty steps", "plan: p\nsteps: []", "the plan has no steps"},
		{"unknown step", "plan: p\nsteps:\n  - dance: {}\n",
			`p.yaml:3:5: unknown key "dance"; expected one of sweep, sustain, repeat, fill, rest`},
		{"unknown operation", sweep(strings.Replace(good, "read", "erase", 1)),
			`unknown operation "erase"; expected read, write or mixed`},
		{"unknown access", sweep(strings.Replace(good, "random", "zigzag", 1)), "expected sequential or random"},
		{"bits for bytes", sweep(strings.Replace(good, "4KiB", "4Kb", 1)), "bits"},
		{"odd block", sweep(strings.Replace(good, "4KiB", "1000", 1)), "multiple of 512 B"},
		{"huge block", sweep(strings.Replace(good, "4KiB", "1GiB", 1)), "between 512 B and 16 MiB"},
		{"depth 0", sweep(strings.Replace(good, "depth: 1", "depth: 0", 1)),
			`p.yaml:3:66: depth "0" is not a whole number from 1 to 1024`},
		{"depth twice", sweep(strings.Replace(good, "depth: 1", "depth: [1, 1]", 1)), "twice"},
		{"no depth", sweep("operation: read, access: random, block: 4KiB"), `the key "depth" is missing`},
		{"no values", sweep(strings.Replace(good, "depth: 1", "depth: []", 1)), "at least one value"},
		{"mixed without a share", sweep(strings.Replace(good, "read", "mixed", 1)), "mixed needs it"},
		{"share without mixed", sweep(good + ", write-share: 30%"), "belongs to the operation mixed"},
		{"no share", sweep(good + ", compressible: 130%"), "is not a share"},
		{"no rate", sweep(good + ", rate: 1e12"), "that a device can have"},
		{"no workers", sweep(good + ", workers: 0"), "whole number from 1 to 256"},
		{"no precision", sweep(good + ", within: 90%"), "not a precision"},
		{"no yes", sweep(good + ", durable: maybe"), "neither yes nor no"},
		{"repeat without times", "plan: p\nsteps:\n  - repeat: {steps: []}\n", "expected \"times\""},
		{"bad hold", sweep(good + ", hold: soon"), "is not a time"},
		{"hold too short", sweep(good + ", hold: 1us"), "is not between"},
		{"not YAML", "plan: [", "p.yaml:1:"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			_, err := Parse("p.yaml", []byte(c.source))
			if err == nil || !strings.Contains(err.Error(), c.want) {
				t.Errorf("error is %v, want one with %q", err, c.want)
			}
		})
	}
}

func TestRepeatsRunInTurns(t *testing.T) {
	p, err := Parse("p.yaml", []byte(`plan: p
steps:
  - repeat:
      times: 2
      steps:
        - sweep: {operation: mixed, write-share: 30%, access: random, block: 4KiB, depth: 4, workers: [1, 2], rate: 500, durable: yes}
        - sweep: {operation: write, access: sequential, block: 1MiB, depth: 8, compressible: [0%, 50%], bytes: 1GiB, within: 1%}
`))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, pass := range p.Passes(time.Second) {
		got = append(got, fmt.Sprintf("%d %s", pass.Repeat, pass.Label()))
	}
	turn := []string{
		"mixed random 4 KiB, depth 4, 30 % writes, 500 a second, durable",
		"mixed random 4 KiB, depth 4, 2 workers, 30 % writes, 500 a second, durable",
		"write sequential 1 MiB, depth 8",
		"write sequential 1 MiB, depth 8, 50 % compressible",
	}
	for i, want := range append(turn, turn...) {
		if want = fmt.Sprintf("%d %s", i/4, want); got[i] != want {
			t.Errorf("pass %d is %q, want %q", i, got[i], want)
		}
	}
	if estimate := p.Estimate(time.Second); estimate.BoundedBytes != 4*unit.GiB || len(got) != 8 {
		t.Errorf("estimate %+v for %d passes", estimate, len(got))
	}
}

func TestBuffersThatDoNotFitAreRefused(t *testing.T) {
	p, _ := Parse("p.yaml", []byte("plan: p\nsteps:\n  - sweep: {operation: read, access: random, block: 16MiB, "+
		"depth: 1024}\n"))
	if err := p.CheckSpan(unit.TiB, 0); err == nil || !strings.Contains(err.Error(), "of memory") {
		t.Errorf("16 GiB of buffers give %v", err)
	}
}

func TestTooManyPassesAreRefused(t *testing.T) {
	var source strings.Builder
	source.WriteString("plan: p\nsteps:\n")
	for range 700 {
		source.WriteString("  - sweep: {operation: [read, write], access: [sequential, random], block: [4KiB, " +
			"8KiB], depth: [1, 2]}\n")
	}
	if _, err := Parse("p.yaml", []byte(source.String())); err == nil ||
		!strings.Contains(err.Error(), "11200 passes") {
		t.Errorf("error is %v, want one about 11200 passes", err)
	}
}

func TestBuiltInPlans(t *testing.T) {
	quick, err := Load("quick")
	if err != nil {
		t.Fatal(err)
	}
	var labels []string
	for _, pass := range quick.Passes(DefaultHold) {
		labels = append(labels, pass.Label())
	}
	want := []string{
		"read sequential 1 MiB, depth 8", "write sequential 1 MiB, depth 8",
		"read random 4 KiB, depth 1", "read random 4 KiB, depth 32",
		"write random 4 KiB, depth 1", "write random 4 KiB, depth 32",
	}
	if strings.Join(labels, "; ") != strings.Join(want, "; ") {
		t.Errorf("quick has the passes %q, want %q", labels, want)
	}
	if readOnly, err := Load("quick-read"); err != nil || readOnly.Writes() {
		t.Errorf("quick-read: %v, writes %v", err, readOnly.Writes())
	}
}

func TestLoad(t *testing.T) {
	file := filepath.Join(t.TempDir(), "mine.yaml")
	if err := os.WriteFile(file, []byte(portholeCheck), 0o600); err != nil {
		t.Fatal(err)
	}
	if p, err := Load(file); err != nil || p.Name != "porthole-check" {
		t.Errorf("loading a file gives %q, %v", p.Name, err)
	}
	if _, err := Load("nonesuch"); err == nil || !strings.Contains(err.Error(), "quick-read") {
		t.Errorf("error is %v, want one that lists the built-in plans", err)
	}
}

func TestWithHoldAndEstimate(t *testing.T) {
	p, _ := Parse("p.yaml", []byte(portholeCheck))
	held := p.EachSweep(func(s *Sweep) { s.HoldSeconds = 1 })
	for _, pass := range held.Passes(time.Hour) {
		if pass.Hold != time.Second {
			t.Fatalf("pass %d lasts %s, want 1s", pass.Index, pass.Hold)
		}
	}
	if p.Steps[0].Work.(*Sweep).HoldSeconds != 2 {
		t.Error("the plan itself was changed")
	}
	estimate := held.Estimate(0)
	if estimate.Written(1e6, 0) != 12*1_100_000 {
		t.Errorf("at 1 MB/s the plan writes %d bytes", estimate.Written(1e6, 0))
	}
	if estimate.Passes != 25 || estimate.WritePasses != 12 || estimate.Elapsed != 25*1100*time.Millisecond {
		t.Errorf("estimate is %+v", estimate)
	}
	var tooSmall *load.SpanError
	if err := p.CheckSpan(4*unit.KiB, 0); !errors.As(err, &tooSmall) || tooSmall.Block != unit.MiB {
		t.Errorf("a span below a block gives %v", err)
	}
}

func FuzzParse(f *testing.F) {
	f.Add(portholeCheck)
	f.Add("plan: p\nsteps: [{sweep: {operation: read}}]")
	f.Fuzz(func(t *testing.T, source string) {
		p, err := Parse("f.yaml", []byte(source))
		if err != nil {
			return
		}
		for _, pass := range p.Passes(DefaultHold) {
			if pass.Depth < 1 || pass.Block < load.SmallestBlock || pass.Hold <= 0 {
				t.Fatalf("an accepted plan has the pass %+v", pass)
			}
		}
	})
}

func TestAdaptiveGrids(t *testing.T) {
	parse := func(depths string) Plan {
		p, err := Parse("p.yaml", []byte("plan: p\nsteps:\n  - sweep: {operation: [read, write], access: random, "+
			"block: [4KiB, 8KiB, 16KiB], depth: "+depths+", adaptive: yes}\n"))
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	wide := parse("[1, 2, 4, 8, 16, 32, 64]")
	program := wide.Program(time.Second)
	if len(program) != 2 || len(program[0].(Grid).Passes) != 21 || program[1].(Grid).Passes[0].Operation != load.Write {
		t.Errorf("the program is %+v, want a grid for reads and one for writes", program)
	}
	// 40 % of 42 combinations, half of which write.
	if e := wide.Estimate(time.Second); e.Passes != 16 || e.FilledIn != 26 || e.WritePasses != 8 {
		t.Errorf("estimate is %+v", e)
	}
	if _, grid := parse("[1, 8]").Program(time.Second)[0].(Grid); grid {
		t.Error("a grid of two depths is not measured whole")
	}
}

func TestStepsOfEveryKind(t *testing.T) {
	source := `plan: all
steps:
  - sustain: {operation: write, access: sequential, block: 1MiB, depth: 8, for: 10m, until-steady: 1m,
      until-explained: 90%}
  - rest: {until-below: 45C, at-most: 10m}
  - fill:
      levels: [0%, 50%]
      steps:
        - sweep: {operation: read, access: random, block: 4KiB, depth: [1, 8], hold: 5s}
        - rest: {for: 30s}
  - repeat:
      times: 5
      until-within: 2%
      steps:
        - sustain: {operation: read, access: sequential, block: 1MiB, depth: 8, over: 2x}
`
	p, err := Parse("p.yaml", []byte(source))
	if err != nil {
		t.Fatal(err)
	}
	var kinds []string
	for _, item := range p.Program(time.Second) {
		kind := item.Does()
		if pass, ok := item.(Pass); ok {
			kind = pass.Step
		}
		kinds = append(kinds, kind)
	}
	want := "sustain rest fill sweep sweep rest fill sweep sweep rest free sustain sustain sustain check sustain " +
		"check sustain"
	if got := strings.Join(kinds, " "); got != want {
		t.Errorf("the program is\n%s, want\n%s", got, want)
	}
	program := p.Program(time.Second)
	if check := program[14].(Check); check.From != 5 || check.To != 8 || check.Skip != 3 || check.Within != 0.02 {
		t.Errorf("the first check is %+v", check)
	}
	passes := p.Passes(time.Second)
	if passes[3].Fill != 0.5 || passes[0].Round != time.Minute || passes[5].Times != 2 || !passes[5].Open() ||
		passes[7].Repeat != 2 {
		t.Errorf("passes are %+v", passes)
	}
	if e := p.Estimate(time.Second); e.FillShare != 0.5 || !e.Open || e.Passes != 10 || e.Elapsed < 21*time.Minute {
		t.Errorf("estimate is %+v", e)
	}
}

func TestStepsThatMakeNoSense(t *testing.T) {
	for step, want := range map[string]string{
		"rest: {}":                              "expected \"for\" a time, or \"until-below\"",
		"rest: {for: 5s, until-below: 40C}":     "expected \"for\" a time, or \"until-below\"",
		"rest: {at-most: 5s, for: 5s}":          "expected \"for\"",
		"fill: {levels: [50%, 20%], steps: []}": "levels have to rise",
		"fill: {levels: [99%], steps: []}":      "above 95 %",
		"fill: {levels: [50%]}":                 "a list under \"steps\"",
		"sustain: {operation: read}":            "the key \"access\" is missing",
		"sustain: {operation: mixed, access: random, block: 4KiB, depth: 1, for: 5s}": "read or write, not mixed",
		"sustain: {operation: read, access: random, block: 4KiB, depth: 1}":           "when it ends",
		"sustain: {operation: read, access: random, block: 4KiB, depth: 1, over: 0x}": "gone over",
	} {
		if _, err := Parse("p.yaml", []byte("plan: p\nsteps:\n  - "+step+"\n")); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%s gives %v, want %q in it", step, err, want)
		}
	}
}

// What a flag asks for reaches every load of a plan, inside of other steps too, and is
// refused where a step has none that could; the plan itself stays as it is.
func TestAskingReachesEveryLoad(t *testing.T) {
	const text = `plan: p
steps:
  - repeat:
      times: 2
      steps:
        - sweep: {operation: write, access: random, block: 4KiB, depth: 1, compressible: [0%, 25%]}
        - sustain: {operation: write, access: sequential, block: 1MiB, depth: 8, for: 10s, durable: yes}
  - rest: {for: 1s}
  - contend: {with: [/media/other], operation: write, access: sequential, block: 1MiB, depth: 8, rate: 100}
`
	p, err := Parse("p.yaml", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	var compressible load.Dimension
	for _, d := range load.Askable() {
		if d.Key == "compressible" {
			compressible = d
		}
	}
	changed, err := p.Asking(compressible, "50%")
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for _, item := range changed.Program(DefaultHold) {
		passes := item.allPasses()
		if c, ok := item.(Contending); ok {
			passes = []Pass{c.Pass}
			if c.Pass.Rate != 100 {
				t.Errorf("the contention's rate is %v", c.Pass.Rate)
			}
		}
		for _, pass := range passes {
			if seen++; pass.CompressibleShare != 0.5 || pass.Step == "sustain" && !pass.Durable {
				t.Errorf("%s: %+v", pass.Step, pass.Load)
			}
		}
	}
	if seen != 5 {
		t.Errorf("%d loads, want 5", seen)
	}
	if before := p.Passes(DefaultHold); len(before) != 6 || before[2].CompressibleShare != 0 {
		t.Errorf("the plan itself changed: %+v", before)
	}
	written, err := json.Marshal(changed)
	var back Plan
	if err != nil || json.Unmarshal(written, &back) != nil ||
		!reflect.DeepEqual(back.Passes(DefaultHold), changed.Passes(DefaultHold)) {
		t.Errorf("%s comes back as %+v, %v", written, back, err)
	}
}

// A flag reaches the loads of every kind of step, and no other thing about them.
func TestEveryKindTakesEveryFlag(t *testing.T) {
	values := []string{"7", "40%", "64KiB", "yes"}
	for _, kind := range StepKinds {
		example := strings.ReplaceAll(kind.Example, "steps: [...]",
			"steps: [{sweep: {operation: write, access: random, block: 4KiB, depth: 1}}]")
		p, err := Parse("p.yaml", []byte("plan: p\nsteps:\n  - "+example+"\n"))
		if err != nil {
			t.Fatalf("%s: %v", kind.Name, err)
		}
		for _, d := range load.Askable() {
			if d.Mixed {
				continue
			}
			asked, text := p, ""
			for _, text = range values {
				if asked, err = p.Asking(d, text); err == nil {
					break
				}
			}
			if err != nil {
				t.Errorf("%s: %s takes none of %q: %v", kind.Name, d.Key, values, err)
				continue
			}
			before, after := loadsOf(p), loadsOf(asked)
			if len(before) != len(after) {
				t.Errorf("%s: --%s makes %d loads of %d", kind.Name, d.Key, len(after), len(before))
				continue
			}
			for i, l := range after {
				want := before[i]
				if err := d.Ask(&want, text); err != nil || l != want {
					t.Errorf("%s: --%s %s makes %+v of %+v", kind.Name, d.Key, text, l, before[i])
				}
			}
		}
	}
}

// loadsOf returns the loads of a plan's passes and contentions.
func loadsOf(p Plan) []load.Load {
	var loads []load.Load
	for _, item := range p.Program(DefaultHold) {
		for _, pass := range item.allPasses() {
			loads = append(loads, pass.Load)
		}
		if c, ok := item.(Contending); ok {
			loads = append(loads, c.Pass.Load)
		}
	}
	return loads
}
