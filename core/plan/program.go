package plan

import (
	"slices"
	"time"

	"opengauge/core/unit"
)

// Item is one thing to do, in the order in which a plan is run. One field is set.
type Item struct {
	Pass *Pass
	Rest *Rest
	// Fill brings the target to that share.
	Fill *float64
	// Free empties it again.
	Free bool
	// Check looks whether repeats are enough.
	Check *Check
	// Contend is a pass on several targets, alone and at once.
	Contend *Contending
}

// Contending is the pass of a contend step, and with whom.
type Contending struct {
	With []string
	Pass Pass
}

// Check says when a repeat is over: once its passes are known to within a share,
// the next Skip items are left out.
type Check struct {
	Within float64
	// From and To are the numbers of the passes that were repeated so far.
	From, To int
	Skip     int
}

// fewestRepeats are run before a check may end a repeat.
const fewestRepeats = 3

// Passes gives the passes of the plan, in the order in which it is written:
// operations vary slowest. A pass without a time of its own gets hold.
func (p Plan) Passes(hold time.Duration) []Pass {
	var passes []Pass
	for _, item := range p.Program(hold) {
		if item.Pass != nil {
			passes = append(passes, *item.Pass)
		}
	}
	return passes
}

// Program expands the plan into what is done one after the other.
func (p Plan) Program(hold time.Duration) []Item {
	e := expansion{hold: hold}
	e.steps(p.Steps, place{})
	return e.items
}

// expansion is a plan being expanded.
type expansion struct {
	hold   time.Duration
	grids  int
	passes int
	items  []Item
}

// place is where in repeats and fills an expansion is.
type place struct {
	repeat int
	fill   float64
	filled bool
}

func (e *expansion) steps(steps []Step, at place) {
	for _, step := range steps {
		switch {
		case step.Sweep != nil:
			e.sweep(step.Sweep, at)
		case step.Sustain != nil:
			e.sustain(step.Sustain, at)
		case step.Repeat != nil:
			e.repeat(step.Repeat, at)
		case step.Fill != nil:
			e.fill(step.Fill, at)
		case step.Rest != nil:
			e.items = append(e.items, Item{Rest: step.Rest})
		case step.Contend != nil:
			e.contend(step.Contend)
		case step.Start != nil:
			e.start(step.Start, at)
		}
	}
}

func (e *expansion) contend(c *Contend) {
	hold := e.hold
	if c.HoldSeconds > 0 {
		hold = unit.Duration(c.HoldSeconds)
	}
	e.items = append(e.items, Item{Contend: &Contending{With: c.With, Pass: Pass{
		Step: "contend", Operation: c.Operation, Access: c.Access, Block: c.Block, Depth: c.Depth, Workers: 1,
		WriteShare: map[Operation]float64{Write: 1}[c.Operation], Hold: hold,
	}}})
}

// StepStart is the name of start steps in passes.
const StepStart = "start"

func (e *expansion) start(s *Start, at place) {
	e.add(Pass{
		Step: StepStart, Operation: Read, Access: Random, Block: s.Block, Depth: 1, Workers: s.AtOnce, Hold: LongestHold,
		Bytes: unit.Bytes(s.Reads) * s.Block, Repeat: at.repeat, Fill: at.fill, Filled: at.filled,
	})
}

// Others gives the targets that the plan's contend steps name beside its own.
func (p Plan) Others() []string {
	var others []string
	for _, item := range p.Program(DefaultHold) {
		if item.Contend == nil {
			continue
		}
		for _, address := range item.Contend.With {
			if !slices.Contains(others, address) {
				others = append(others, address)
			}
		}
	}
	return others
}

func (e *expansion) add(pass Pass) {
	pass.Index = e.passes
	e.passes++
	e.items = append(e.items, Item{Pass: &pass})
}

func (e *expansion) repeat(r *Repeat, at place) {
	var checks []int
	from := e.passes
	for turn := range r.Times {
		inside := at
		inside.repeat = at.repeat*r.Times + turn
		e.steps(r.Steps, inside)
		if r.Within > 0 && turn+1 >= fewestRepeats && turn+1 < r.Times {
			checks = append(checks, len(e.items))
			e.items = append(e.items, Item{Check: &Check{Within: r.Within, From: from, To: e.passes}})
		}
	}
	for _, check := range checks {
		e.items[check].Check.Skip = len(e.items) - check - 1
	}
}

func (e *expansion) fill(f *Fill, at place) {
	for _, level := range f.Levels {
		e.items = append(e.items, Item{Fill: &level})
		inside := at
		inside.fill, inside.filled = level, true
		e.steps(f.Steps, inside)
	}
	e.items = append(e.items, Item{Free: true})
}

func (e *expansion) sustain(s *Sustain, at place) {
	hold := LongestHold
	if s.ForSeconds > 0 {
		hold = unit.Duration(s.ForSeconds)
	}
	writes := map[Operation]float64{Write: 1}[s.Operation]
	e.add(Pass{
		Step: "sustain", Operation: s.Operation, Access: s.Access, Block: s.Block, Depth: s.Depth, Workers: 1, WriteShare: writes,
		Hold: hold, Bytes: s.Bytes, Times: s.Times, Round: unit.Duration(s.RoundSeconds), Repeat: at.repeat, Fill: at.fill, Filled: at.filled,
	})
}

func (e *expansion) sweep(s *Sweep, at place) {
	base := Pass{
		Step: "sweep", Durable: s.Durable, Span: s.Span, Fill: at.fill, Filled: at.filled,
		Hold: e.hold, Bytes: s.Bytes, Within: s.Within, Repeat: at.repeat,
	}
	if s.HoldSeconds > 0 {
		base.Hold = unit.Duration(s.HoldSeconds)
	}
	variants := crossed([]Pass{base}, s.Operation, func(p *Pass, v Operation) {
		p.Operation = v
		p.WriteShare = map[Operation]float64{Write: 1, Mixed: s.WriteShare}[v]
	})
	variants = crossed(variants, s.Access, func(p *Pass, v Access) { p.Access = v })
	variants = crossed(variants, orJust(s.CompressibleShare, 0), func(p *Pass, v float64) { p.CompressibleShare = v })
	variants = crossed(variants, orJust(s.Rate, 0), func(p *Pass, v float64) { p.Rate = v })
	variants = crossed(variants, orJust(s.Workers, 1), func(p *Pass, v int) { p.Workers = v })
	if s.Adaptive && len(s.Depth) >= fewestAdaptive {
		for at := range variants {
			e.grids++
			variants[at].Grid = e.grids
		}
	}
	variants = crossed(variants, s.Block, func(p *Pass, v unit.Bytes) { p.Block = v })
	for _, pass := range crossed(variants, s.Depth, func(p *Pass, v int) { p.Depth = v }) {
		e.add(pass)
	}
}
