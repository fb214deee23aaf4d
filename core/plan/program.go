package plan

import (
	"time"
)

// Item is one thing to do, in the order in which a plan is run. Which items a kind
// of step makes is in its file; how each is done is registered in measure/run.
type Item interface {
	// Does names the kind of item: "pass", "rest". Runners are registered by it.
	Does() string
	// Writes reports whether doing it changes the storage.
	Writes() bool
	// asked are the passes that it is made of.
	allPasses() []Pass
	// estimate adds the item's cost.
	estimate(total *tally)
}

// Program expands the plan into its items, in order. A pass without a time of its own gets hold.
func (p Plan) Program(hold time.Duration) []Item {
	e := expansion{hold: hold, asked: p.Asked}
	e.steps(p.Steps, Place{})
	return e.items
}

// expansion is a plan being expanded.
type expansion struct {
	hold   time.Duration
	asked  asked // of all loads
	passes int   // so far
	items  []Item
}

func (e *expansion) steps(steps []Step, at Place) {
	for _, step := range steps {
		step.expand(e, at)
	}
}

// next gives a pass its number, and its load what the plan asks of all.
func (e *expansion) next(pass Pass) Pass {
	pass.Load = e.asked.of(pass.Load)
	pass.Index = e.passes
	e.passes++
	return pass
}

func (e *expansion) add(item Item) { e.items = append(e.items, item) }

// addPass adds a pass as an item of its own.
func (e *expansion) addPass(pass Pass) { e.add(e.next(pass)) }

// Does says "pass".
func (p Pass) Does() string { return "pass" }

func (p Pass) allPasses() []Pass { return []Pass{p} }

// Still is an item without passes that changes nothing.
type still struct{}

func (still) Writes() bool { return false }

func (still) allPasses() []Pass { return nil }
