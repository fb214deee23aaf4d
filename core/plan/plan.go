// Package plan holds plans: measurements as lists of steps. It loads and checks them, expands them into items
// to be done one after the other, and estimates their cost. How an item is done is measure's business.
//
// Plans are values: once made they are only read, and may be shared by goroutines.
package plan

import (
	"slices"
	"time"

	"opengauge/core/document"
	"opengauge/core/unit"
)

// Plan is a list of steps, run in order.
type Plan struct {
	Name  string `json:"name"`
	About string `json:"about,omitempty"`
	Steps []Step `json:"steps"`
	// Asked holds dimensions that all loads ask for, whatever their steps say.
	Asked asked `json:"asked,omitempty"`
}

// maxPasses keeps a crossed list with a slip in it from asking for a year.
const maxPasses = 10_000

// Parse reads a plan written in YAML. The file name is for messages, which name the line and column and the
// expected value.
func Parse(file string, source []byte) (Plan, error) {
	root, err := document.Parse(file, source)
	if err != nil {
		return Plan{}, err
	}
	p := Plan{}
	_, err = root.Read(
		document.Name("plan", &p.Name),
		document.Text("about", &p.About),
		stepsKey(&p.Steps, mostNesting).Needed(`expected a list under "steps"`),
	)
	if err != nil {
		return Plan{}, err
	}
	switch total := count(p.Steps); {
	case total == 0:
		return Plan{}, root.Errorf("the plan has no steps")
	case total > maxPasses:
		return Plan{}, root.Errorf("the plan asks for %d passes; at most %d are allowed", total, maxPasses)
	}
	return p, nil
}

// WithRepeats gives the plan with all of its steps run that many times.
func (p Plan) WithRepeats(times int) Plan {
	p.Steps = []Step{{&Repeat{Times: times, Steps: p.Steps}}}
	return p
}

// EachSweep gives a copy of the plan in which change was called on a copy of
// every sweep, those inside of other steps too.
func (p Plan) EachSweep(change func(*Sweep)) Plan {
	p.Steps = eachSweep(p.Steps, change)
	return p
}

func eachSweep(steps []Step, change func(*Sweep)) []Step {
	changed := slices.Clone(steps)
	for i, step := range steps {
		switch work := step.Work.(type) {
		case *Sweep:
			sweep := *work
			change(&sweep)
			changed[i].Work = &sweep
		case holder:
			changed[i].Work = work.holding(eachSweep(work.inner(), change))
		}
	}
	return changed
}

// Passes gives the passes of the plan, in the order in which it is written:
// operations vary slowest. A pass without a time of its own gets hold.
func (p Plan) Passes(hold time.Duration) []Pass {
	var passes []Pass
	for _, item := range p.Program(hold) {
		passes = append(passes, item.allPasses()...)
	}
	return passes
}

// Writes reports whether the plan changes the storage.
func (p Plan) Writes() bool { return slices.ContainsFunc(p.Program(DefaultHold), Item.Writes) }

// Others gives the targets that the plan's contend steps name beside its own.
func (p Plan) Others() []string {
	var others []string
	for _, item := range p.Program(DefaultHold) {
		contend, ok := item.(Contending)
		if !ok {
			continue
		}
		for _, address := range contend.With {
			if !slices.Contains(others, address) {
				others = append(others, address)
			}
		}
	}
	return others
}

// LargestBlock is the largest block size among the plan's passes.
func (p Plan) LargestBlock() unit.Bytes {
	var largest unit.Bytes
	for _, pass := range p.Passes(DefaultHold) {
		largest = max(largest, pass.Block)
	}
	return largest
}
