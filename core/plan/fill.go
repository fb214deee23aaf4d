package plan

import (
	"fmt"

	"opengauge/core/document"
	"opengauge/core/load"
)

var fillKind = StepKind{
	Name:    "fill",
	About:   "brings the target to levels, shares of all it holds, runs steps at each, and frees it again",
	Items:   []Item{FillTo{}, Free{}},
	Example: "fill: {levels: [0%, 50%, 90%], steps: [...]}",
	parse:   parseFill,
	blank:   func() Work { return &Fill{} },
}

// Fill brings the target to levels, shares of all it holds, runs steps at each,
// and frees it again.
type Fill struct {
	Levels []float64 `json:"level_shares"`
	Steps  []Step    `json:"steps"`
}

// highestFill keeps a file system from being filled to its last block.
const highestFill = 0.95

func parseFill(n document.Node, nesting int) (Work, error) {
	if nesting == 0 {
		return nil, n.Errorf("steps stand too deep in each other")
	}
	f := &Fill{}
	_, err := n.Read(
		document.List("levels", &f.Levels, parseLevel).Needed(),
		stepsKey(&f.Steps, nesting-1).Needed(`expected a list under "steps"`),
	)
	for i := 1; err == nil && i < len(f.Levels); i++ {
		if f.Levels[i] < f.Levels[i-1] {
			err = n.Errorf("levels have to rise: the target is only freed at the end")
		}
	}
	return f, err
}

// Kind says "fill".
func (f *Fill) Kind() string { return fillKind.Name }

func (f *Fill) passes() int { return len(f.Levels) * count(f.Steps) }

func (f *Fill) inner() []Step { return f.Steps }

func (f *Fill) holding(steps []Step) Work {
	changed := *f
	changed.Steps = steps
	return &changed
}

func (f *Fill) expand(e *expansion, at Place) {
	for _, level := range f.Levels {
		e.add(FillTo{Share: level})
		inside := at
		inside.Fill, inside.Filled = level, true
		e.steps(f.Steps, inside)
	}
	e.add(Free{})
}

// FillTo brings the target to a share of all it holds.
type FillTo struct {
	still
	Share float64
}

// Does says "fill".
func (f FillTo) Does() string { return "fill" }

// Writes is true.
func (f FillTo) Writes() bool { return true }

func (f FillTo) estimate(total *tally) { total.FillShare = max(total.FillShare, f.Share) }

// Free gives back the space that filling took.
type Free struct{ still }

// Does says "free".
func (f Free) Does() string { return "free" }

func (f Free) estimate(*tally) {}

func parseLevel(text string) (float64, error) {
	level, err := load.ParseShare(text)
	if err == nil && level > highestFill {
		err = fmt.Errorf("level %q is above %.0f %%, and the rest stays free", text, highestFill*100)
	}
	return level, err
}
