package plan

import (
	"encoding/json"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"
)

// exampleOf is a plan with the example of a kind of step.
func exampleOf(t *testing.T, kind StepKind) Plan {
	t.Helper()
	nested := "{sweep: {operation: read, access: random, block: 4KiB, depth: 1}}"
	p, err := Parse("p.yaml", []byte("plan: p\nsteps:\n  - "+strings.Replace(kind.Example, "...", nested, 1)+"\n"))
	if err != nil {
		t.Fatalf("the example of %s: %v", kind.Name, err)
	}
	return p
}

// Each kind's example can be read, makes items that the kind lists, and comes back
// from a document as it was.
func TestEveryKindOfStep(t *testing.T) {
	for _, kind := range StepKinds {
		p := exampleOf(t, kind)
		if p.Steps[0].Kind() != kind.Name || kind.About == "" {
			t.Errorf("the example of %s is a %s; about %q", kind.Name, p.Steps[0].Kind(), kind.About)
		}
		var listed []string
		for _, item := range kind.Items {
			listed = append(listed, item.Does())
		}
		for _, item := range p.Program(time.Second) {
			if pass, ok := item.(Pass); ok && pass.Step != kind.Name {
				continue // of a step that it holds
			}
			if !slices.Contains(listed, item.Does()) {
				t.Errorf("%s makes a %q, which it does not list", kind.Name, item.Does())
			}
		}
		text, err := json.Marshal(p)
		if err != nil {
			t.Fatal(err)
		}
		var again Plan
		if err := json.Unmarshal(text, &again); err != nil || !reflect.DeepEqual(p, again) {
			t.Errorf("%s comes back as %+v, %v; was %+v in %s", kind.Name, again, err, p, text)
		}
	}
}

// A document of a newer program may have steps that this one does not know.
func TestStepsFromTheFutureAreKept(t *testing.T) {
	const text = `{"name":"p","steps":[{"hover":{"height_metres":3}}]}`
	var p Plan
	if err := json.Unmarshal([]byte(text), &p); err != nil {
		t.Fatal(err)
	}
	if p.Steps[0].Kind() != "hover" || len(p.Program(time.Second)) != 0 {
		t.Errorf("the step is %+v", p.Steps[0])
	}
	if again, err := json.Marshal(p); err != nil || string(again) != text {
		t.Errorf("it is written as %s, %v", again, err)
	}
	for _, bad := range []string{`{}`, `{"rest":{},"fill":{}}`, `3`, `{"rest":3}`} {
		if err := json.Unmarshal([]byte(bad), new(Step)); err == nil {
			t.Errorf("%s is taken for a step", bad)
		}
	}
}

// A key that no step has is answered with the nearest that one has, at every depth.
func TestUnknownKeysNameTheNearest(t *testing.T) {
	for source, want := range map[string]string{
		"plan: p\nstesp: []\n":                            `did you mean "steps"`,
		"plan: p\nsteps:\n  - sweap: {}\n":                `did you mean "sweep"`,
		"plan: p\nsteps:\n  - rest: {untill-below: 4C}\n": `did you mean "until-below"`,
		"plan: p\nsteps:\n  - fill: {levls: [5%]}\n":      `did you mean "levels"`,
		"plan: p\nsteps:\n  - contend: {whith: [a]}\n":    `did you mean "with"`,
		"plan: p\nsteps:\n  - start: {raeds: 4}\n":        `did you mean "reads"`,
	} {
		if _, err := Parse("p.yaml", []byte(source)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q gives %v, want %s", source, err, want)
		}
	}
}
