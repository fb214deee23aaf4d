package plan

import (
	"fmt"
	"strconv"

	"opengauge/core/document"
	"opengauge/core/load"
	"opengauge/core/unit"
)

// StepStart is the name of start steps in passes.
const StepStart = "start"

var startKind = StepKind{
	Name: StepStart,
	About: "reads as a program does that starts: small dependent pieces from all over; what counts is when it is " +
		"finished",
	Items:   []Item{Pass{}},
	Example: "start: {reads: 20000, block: 16KiB, at-once: 4}",
	parse:   parseStart,
	blank:   func() Work { return &Start{} },
}

// Start reads as a program does that starts: small pieces from all over, each read only once the one before
// it is there, several such chains at once. The time until it is finished counts.
type Start struct {
	Reads  int        `json:"reads"`
	Block  unit.Bytes `json:"block_bytes"`
	AtOnce int        `json:"at_once"`
}

func parseStart(n document.Node, _ int) (Work, error) {
	s := &Start{Block: 16 * unit.KiB, AtOnce: 4}
	_, err := n.Read(
		document.Into("reads", &s.Reads, parseReads).Needed(`the key "reads" is missing: how many pieces are read`),
		document.Into("block", &s.Block, load.ParseBlock),
		document.Into("at-once", &s.AtOnce, load.ParseWorkers),
	)
	return s, err
}

// Kind says "start".
func (s *Start) Kind() string { return startKind.Name }

func (s *Start) passes() int { return 1 }

func (s *Start) expand(e *expansion, at Place) {
	l := load.New(load.Read, load.Random, s.Block, 1)
	l.Workers = s.AtOnce
	end := End{Hold: LongestHold, Bytes: unit.Bytes(s.Reads) * s.Block}
	e.addPass(Pass{Load: l, End: end, Place: at, Step: startKind.Name})
}

func parseReads(text string) (int, error) {
	reads, err := strconv.Atoi(text)
	if err != nil || reads < 1 || reads > 10_000_000 {
		return 0, fmt.Errorf("%q is not how many pieces are read, from 1 to 10 000 000", text)
	}
	return reads, nil
}
