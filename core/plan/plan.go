// Package plan holds plans: what to measure, as a list of steps. It loads and
// checks them, expands them into passes, and estimates what they take.
package plan

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"opengauge/core/unit"
)

// Plan is a list of steps, run in order.
type Plan struct {
	Name  string `json:"name"`
	About string `json:"about,omitempty"`
	Steps []Step `json:"steps"`
}

// Step is one step of a plan. Exactly one field is set.
type Step struct {
	Sweep   *Sweep   `json:"sweep,omitempty"`
	Sustain *Sustain `json:"sustain,omitempty"`
	Repeat  *Repeat  `json:"repeat,omitempty"`
	Fill    *Fill    `json:"fill,omitempty"`
	Rest    *Rest    `json:"rest,omitempty"`
	Contend *Contend `json:"contend,omitempty"`
	Start   *Start   `json:"start,omitempty"`
}

// Contend runs one load on the target and on others: on each alone, and on all at
// once.
type Contend struct {
	// With are the other targets, as they would be named to measure.
	With        []string   `json:"with"`
	Operation   Operation  `json:"operation"`
	Access      Access     `json:"access"`
	Block       unit.Bytes `json:"block_bytes"`
	Depth       int        `json:"depth"`
	HoldSeconds float64    `json:"hold_seconds,omitempty"`
}

// Start reads as a program does that starts: small pieces from all over, each read
// only once the one before it is there, several such chains at once. What counts is
// when it is finished.
type Start struct {
	Reads  int        `json:"reads"`
	Block  unit.Bytes `json:"block_bytes"`
	AtOnce int        `json:"at_once"`
}

// Repeat runs its steps several times over, in turns: that many times, or until
// the figure of each pass is known to within a share.
type Repeat struct {
	Times  int     `json:"times"`
	Within float64 `json:"until_within_share,omitempty"`
	Steps  []Step  `json:"steps"`
}

// Sustain writes or reads without pause.
type Sustain struct {
	Operation Operation  `json:"operation"`
	Access    Access     `json:"access"`
	Block     unit.Bytes `json:"block_bytes"`
	Depth     int        `json:"depth"`
	// It ends after a time, a number of bytes, or once the target was gone over
	// Times times, whichever is first; 0 is none of them.
	ForSeconds float64    `json:"for_seconds,omitempty"`
	Bytes      unit.Bytes `json:"bytes,omitempty"`
	Times      float64    `json:"times_over,omitempty"`
	// RoundSeconds asks it to end in a steady state, judged over rounds of that
	// length; 0 does not.
	RoundSeconds float64 `json:"steady_round_seconds,omitempty"`
}

// Fill brings the target to levels, shares of all it holds, runs steps at each,
// and frees it again.
type Fill struct {
	Levels []float64 `json:"level_shares"`
	Steps  []Step    `json:"steps"`
}

// Rest lets the target be, for a time, or until it has cooled.
type Rest struct {
	// ForSeconds is how long, at the most.
	ForSeconds float64 `json:"for_seconds"`
	// BelowCelsius ends it once the drive is below that; nil does not.
	BelowCelsius *unit.Celsius `json:"until_below_celsius,omitempty"`
}

// Sweep crosses every list with the others and measures a pass for each
// combination.
type Sweep struct {
	Operation []Operation  `json:"operation"`
	Access    []Access     `json:"access"`
	Block     []unit.Bytes `json:"block_bytes"`
	Depth     []int        `json:"depth"`
	// Workers drive a queue of that depth each. None means 1.
	Workers []int `json:"workers,omitempty"`
	// WriteShare is the share of writes of mixed operations.
	WriteShare float64 `json:"write_share,omitempty"`
	// CompressibleShare is how much of the written data can be compressed away.
	// None means nothing of it.
	CompressibleShare []float64 `json:"compressible_share,omitempty"`
	// Rate is how many operations arrive a second. None, or 0, is as many as
	// the storage takes.
	Rate    []float64 `json:"rate_per_second,omitempty"`
	Durable bool      `json:"durable,omitempty"`
	// Span is the part of the target, from its start, that is touched. 0 is all.
	Span unit.Bytes `json:"span_bytes,omitempty"`
	Ending
	// Adaptive measures only those blocks and depths that tell the others, and
	// fills these in.
	Adaptive bool `json:"adaptive,omitempty"`
}

// Ending is when a pass is over: at whichever of its limits comes first.
type Ending struct {
	// HoldSeconds is how long each pass counts; 0 leaves it to the caller.
	HoldSeconds float64 `json:"hold_seconds,omitempty"`
	// Bytes is how much each pass moves at the most; 0 is no limit.
	Bytes unit.Bytes `json:"bytes,omitempty"`
	// Within ends a pass once its throughput is known to within that share, by
	// a 95% interval; 0 does not.
	Within float64 `json:"within_share,omitempty"`
}

// Operation is what a pass does to the storage.
type Operation string

// The operations that a pass may have.
const (
	Read  Operation = "read"
	Write Operation = "write"
	Mixed Operation = "mixed"
)

// Writes says whether the operation changes the storage.
func (o Operation) Writes() bool { return o != Read }

// Access is the order in which a pass goes over its span.
type Access string

// The access orders that a pass may have.
const (
	Sequential Access = "sequential"
	Random     Access = "random"
)

// Limits of what a sweep may ask for.
const (
	SmallestBlock = 512 * unit.Bytes(1)
	LargestBlock  = 16 * unit.MiB
	LargestDepth  = 1024
	LongestHold   = 7 * 24 * time.Hour
	MostWorkers   = 256
	HighestRate   = 100e6
	MostRepeats   = 1000
)

// Pass is one timed stretch of I/O that a plan asks for.
type Pass struct {
	Index             int
	Step              string
	Operation         Operation
	Access            Access
	Block             unit.Bytes
	Depth             int
	Workers           int
	WriteShare        float64
	CompressibleShare float64
	Rate              float64 // operations a second, or 0
	Durable           bool
	Span              unit.Bytes // or 0 for all of the target
	Hold              time.Duration
	Bytes             unit.Bytes // or 0
	Within            float64    // or 0
	// Repeat counts from 0.
	Repeat int
	// Times is how often the span is gone over at the most; 0 is no limit.
	Times float64
	// Round is the length of the rounds over which a steady state is judged; 0 is
	// not judged.
	Round time.Duration
	// Fill is the share of the target that is filled while the pass runs, and
	// Filled whether a step asked for that.
	Fill   float64
	Filled bool
	// Grid is the number of the adaptive grid of blocks and depths that the pass
	// is a point of, counting from 1, or 0. Passes of a grid follow each other,
	// and of those only [AdaptiveShare] is measured.
	Grid int
}

const (
	// AdaptiveShare is the most of an adaptive grid's passes that is measured.
	AdaptiveShare = 0.4
	// fewestAdaptive is how many depths a grid has at the least: below that,
	// what is measured of each block size is more than the share.
	fewestAdaptive = 7
)

// Label names the pass for people: "read random 4 KiB, depth 32".
func (p Pass) Label() string {
	text := Label(p.Operation, p.Access, p.Block, p.Depth)
	if besides := p.Besides(); besides != "" {
		text += ", " + besides
	}
	return text
}

// Besides is what sets a pass apart besides the usual four: "2 workers, 30 %
// writes", or nothing.
func (p Pass) Besides() string {
	text := ""
	if p.Workers > 1 {
		text += fmt.Sprintf(", %d workers", p.Workers)
	}
	if p.Operation == Mixed {
		text += fmt.Sprintf(", %.0f %% writes", p.WriteShare*100)
	}
	if p.CompressibleShare > 0 {
		text += fmt.Sprintf(", %.0f %% compressible", p.CompressibleShare*100)
	}
	if p.Rate > 0 {
		text += fmt.Sprintf(", %.0f a second", p.Rate)
	}
	if p.Durable {
		text += ", durable"
	}
	if p.Fill > 0 {
		text += fmt.Sprintf(", %.0f %% full", p.Fill*100)
	}
	return strings.TrimPrefix(text, ", ")
}

// Label names a pass by what it does.
func Label(operation Operation, access Access, block unit.Bytes, depth int) string {
	return fmt.Sprintf("%s %s %s, depth %d", operation, access, block, depth)
}

// crossed gives every pass with every value.
func crossed[T any](passes []Pass, values []T, set func(*Pass, T)) []Pass {
	all := make([]Pass, 0, len(passes)*len(values))
	for _, pass := range passes {
		for _, value := range values {
			set(&pass, value)
			all = append(all, pass)
		}
	}
	return all
}

func orJust[T any](values []T, otherwise T) []T {
	if len(values) == 0 {
		return []T{otherwise}
	}
	return values
}

// Repeated gives the plan with all of its steps run that many times.
func (p Plan) Repeated(times int) Plan {
	p.Steps = []Step{{Repeat: &Repeat{Times: times, Steps: p.Steps}}}
	return p
}

// EachSweep gives a copy of the plan in which change was called on a copy of
// every sweep, those inside of other steps too.
func (p Plan) EachSweep(change func(*Sweep)) Plan {
	p.Steps = eachSweep(p.Steps, change)
	return p
}

func eachSweep(steps []Step, change func(*Sweep)) []Step {
	changed := make([]Step, len(steps))
	for at, step := range steps {
		changed[at] = step
		switch {
		case step.Repeat != nil:
			repeat := *step.Repeat
			repeat.Steps = eachSweep(repeat.Steps, change)
			changed[at].Repeat = &repeat
		case step.Fill != nil:
			fill := *step.Fill
			fill.Steps = eachSweep(fill.Steps, change)
			changed[at].Fill = &fill
		case step.Sweep != nil:
			sweep := *step.Sweep
			change(&sweep)
			changed[at].Sweep = &sweep
		}
	}
	return changed
}

// Writes says whether the plan changes the storage.
func (p Plan) Writes() bool {
	return slices.ContainsFunc(p.Program(DefaultHold), func(i Item) bool {
		return i.Fill != nil || i.Pass != nil && i.Pass.Operation.Writes() || i.Contend != nil && i.Contend.Pass.Operation.Writes()
	})
}

// LargestBlock is the largest block size among the plan's passes.
func (p Plan) LargestBlock() unit.Bytes {
	var largest unit.Bytes
	for _, pass := range p.Passes(DefaultHold) {
		largest = max(largest, pass.Block)
	}
	return largest
}
