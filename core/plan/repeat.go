package plan

import (
	"fmt"
	"strconv"

	"opengauge/core/document"
)

var repeatKind = StepKind{
	Name:    "repeat",
	About:   "runs its steps several times over, in turns, or until the figure of each pass is known to within a share",
	Items:   []Item{Check{}},
	Example: "repeat: {times: 5, until-within: 2%, steps: [...]}",
	parse:   parseRepeat,
	blank:   func() Work { return &Repeat{} },
}

// Repeat runs its steps several times over, in turns: that many times, or until
// the figure of each pass is known to within a share.
type Repeat struct {
	Times  int     `json:"times"`
	Within float64 `json:"until_within_share,omitempty"`
	Steps  []Step  `json:"steps"`
}

const (
	// MostRepeats bounds how often steps are repeated.
	MostRepeats = 1000
	// fewestRepeats are run before a check may end a repeat.
	fewestRepeats = 3
)

func parseRepeat(n document.Node, nesting int) (Work, error) {
	if nesting == 0 {
		return nil, n.Errorf("repeats stand too deep in each other")
	}
	const missing = `expected "times" and a list under "steps"`
	r := &Repeat{}
	_, err := n.Read(
		document.Into("times", &r.Times, parseTimes).Needed(missing),
		document.Into("until-within", &r.Within, ParseWithin),
		stepsKey(&r.Steps, nesting-1).Needed(missing),
	)
	return r, err
}

// Kind says "repeat".
func (r *Repeat) Kind() string { return repeatKind.Name }

func (r *Repeat) passes() int { return r.Times * count(r.Steps) }

func (r *Repeat) inner() []Step { return r.Steps }

func (r *Repeat) holding(steps []Step) Work {
	changed := *r
	changed.Steps = steps
	return &changed
}

func (r *Repeat) expand(e *expansion, at Place) {
	var checks []int
	from := e.passes
	for turn := range r.Times {
		inside := at
		inside.Repeat = at.Repeat*r.Times + turn
		e.steps(r.Steps, inside)
		if r.Within > 0 && turn+1 >= fewestRepeats && turn+1 < r.Times {
			checks = append(checks, len(e.items))
			e.add(Check{Within: r.Within, From: from, To: e.passes})
		}
	}
	for _, i := range checks {
		check := e.items[i].(Check)
		check.Skip = len(e.items) - i - 1
		e.items[i] = check
	}
}

// Check says when a repeat is over: once its passes are known to within a share,
// the next Skip items are left out.
type Check struct {
	still
	Within float64
	// From and To are the numbers of the passes that were repeated so far.
	From, To int
	Skip     int
}

// Does says "check".
func (c Check) Does() string { return "check" }

func (c Check) estimate(*tally) {}

func parseTimes(text string) (int, error) {
	times, err := strconv.Atoi(text)
	if err != nil || times < 1 || times > MostRepeats {
		return 0, fmt.Errorf("%q times is not a whole number from 1 to %d", text, MostRepeats)
	}
	return times, nil
}
