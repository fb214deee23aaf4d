// Package plan holds plans: what to measure, as a list of steps. It loads and
// checks them, expands them into passes, and estimates what they take.
package plan

import (
	"fmt"
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
	Sweep *Sweep `json:"sweep,omitempty"`
}

// Sweep crosses every list with the others and measures a pass for each
// combination.
type Sweep struct {
	Operation []Operation  `json:"operation"`
	Access    []Access     `json:"access"`
	Block     []unit.Bytes `json:"block_bytes"`
	Depth     []int        `json:"depth"`
	// HoldSeconds is how long each pass counts; 0 leaves it to the caller.
	HoldSeconds float64 `json:"hold_seconds,omitempty"`
}

// Operation is what a pass does to the storage.
type Operation string

// The operations that a pass may have.
const (
	Read  Operation = "read"
	Write Operation = "write"
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
)

// Pass is one timed stretch of I/O that a plan asks for.
type Pass struct {
	Index     int
	Step      string
	Operation Operation
	Access    Access
	Block     unit.Bytes
	Depth     int
	Hold      time.Duration
}

// Label names the pass for people: "read random 4 KiB, depth 32".
func (p Pass) Label() string { return Label(p.Operation, p.Access, p.Block, p.Depth) }

// Label names a pass by what it does.
func Label(operation Operation, access Access, block unit.Bytes, depth int) string {
	return fmt.Sprintf("%s %s %s, depth %d", operation, access, block, depth)
}

// Passes expands the plan, in the order in which it is written: operations
// vary slowest, depths fastest. A pass without a time of its own gets hold.
func (p Plan) Passes(hold time.Duration) []Pass {
	var passes []Pass
	for _, step := range p.Steps {
		for _, pass := range step.Sweep.passes(hold) {
			pass.Index = len(passes)
			passes = append(passes, pass)
		}
	}
	return passes
}

func (s *Sweep) passes(hold time.Duration) []Pass {
	if s.HoldSeconds > 0 {
		hold = unit.Duration(s.HoldSeconds)
	}
	var passes []Pass
	for _, operation := range s.Operation {
		for _, access := range s.Access {
			for _, block := range s.Block {
				for _, depth := range s.Depth {
					passes = append(passes, Pass{
						Step: "sweep", Operation: operation, Access: access,
						Block: block, Depth: depth, Hold: hold,
					})
				}
			}
		}
	}
	return passes
}

// WithHold gives a copy of the plan in which every pass lasts hold.
func (p Plan) WithHold(hold time.Duration) Plan {
	steps := make([]Step, len(p.Steps))
	for at, step := range p.Steps {
		sweep := *step.Sweep
		sweep.HoldSeconds = hold.Seconds()
		steps[at] = Step{Sweep: &sweep}
	}
	p.Steps = steps
	return p
}

// Writes says whether any pass of the plan changes the storage.
func (p Plan) Writes() bool {
	for _, pass := range p.Passes(time.Second) {
		if pass.Operation.Writes() {
			return true
		}
	}
	return false
}

// LargestBlock is the largest block size among the plan's passes.
func (p Plan) LargestBlock() unit.Bytes {
	var largest unit.Bytes
	for _, pass := range p.Passes(time.Second) {
		largest = max(largest, pass.Block)
	}
	return largest
}
