package plan

import (
	"slices"

	"time"

	"opengauge/core/load"
	"opengauge/core/unit"
)

// Pass is one timed stretch of I/O that a plan asks for: a load, when it is over,
// and its place in the plan.
type Pass struct {
	load.Load
	End
	Place
	Index int
	Step  string
}

// Place is where in a plan a pass stands.
type Place struct {
	// Repeat is the turn, counting from 0.
	Repeat int
	// Fill is the share of the target that is filled while the pass runs, and
	// Filled whether a step asked for that.
	Fill   float64
	Filled bool
}

// End is when a pass is over: at whichever of its limits comes first.
type End struct {
	Hold  time.Duration
	Bytes unit.Bytes // or 0
	// Within ends it once its throughput is known to within that share; 0 does
	// not.
	Within float64
	// Times is how often the span is gone over at the most; 0 is no limit.
	Times float64
	// Round is the length of the rounds over which a steady state is judged; 0 is
	// not judged.
	Round time.Duration
	// Explained ends it once a cause of its course is settled with that probability; 0 does not.
	Explained float64
}

const (
	// DefaultHold is how long a pass counts where neither plan nor caller say.
	DefaultHold = 5 * time.Second
	// ShortestHold is the shortest pass that is worth starting.
	ShortestHold = 10 * time.Millisecond
	// LongestHold bounds every pass.
	LongestHold = 7 * 24 * time.Hour
	// longestSettle bounds how long a pass runs before it counts.
	longestSettle = 500 * time.Millisecond
)

// Label names the pass for people: "read random 4 KiB, depth 32, 50 % full".
func (p Pass) Label() string { return p.Load.String() + p.Place.suffix() }

// Besides describes a pass beyond the usual four dimensions of its load.
func (p Pass) Besides() string {
	if besides := p.Load.Besides(); besides != "" {
		return besides + p.Place.suffix()
	}
	if suffix := p.Place.suffix(); suffix != "" {
		return suffix[len(", "):]
	}
	return ""
}

func (p Place) suffix() string { return load.Full(p.Fill) }

// Settle is how long the pass runs before it counts, so that queues are full
// and the first operations are behind it: a tenth of its time, at most 0.5 s. One that
// ends at a number of bytes does not settle: it would move more than that.
func (e End) Settle() time.Duration {
	if e.Bytes > 0 || e.Times > 0 {
		return 0
	}
	return min(e.Hold/10, longestSettle)
}

// Open reports whether the pass ends at a number of bytes alone, so that nobody
// knows beforehand when that is.
func (e End) Open() bool { return e.Hold >= LongestHold && (e.Bytes > 0 || e.Times > 0) }

// Time is how long the pass takes at the most, flushing aside; 0 where nobody
// knows.
func (e End) Time() time.Duration {
	if e.Open() {
		return 0
	}
	return e.Hold + e.Settle()
}

// UntilExplained reports whether some pass of the plan ends once a cause is settled.
func (p Plan) UntilExplained() bool {
	return slices.ContainsFunc(p.Passes(DefaultHold), func(pass Pass) bool { return pass.Explained > 0 })
}
