package plan

import (
	"fmt"
	"strconv"
	"strings"

	"opengauge/core/document"
	"opengauge/core/load"
	"opengauge/core/unit"
)

var sustainKind = StepKind{
	Name:  "sustain",
	About: "writes or reads without pause, for a time, a number of bytes, or so many times over the target",
	Items: []Item{Pass{}},
	Example: "sustain: {operation: write, access: sequential, block: 1MiB, depth: 8, for: 10m, until-steady: 1m, " +
		"until-explained: 90%}",
	parse: parseSustain,
	blank: func() Work { return &Sustain{} },
}

// Sustain writes or reads without pause.
type Sustain struct {
	Operation load.Operation `json:"operation"`
	Access    load.Access    `json:"access"`
	Block     unit.Bytes     `json:"block_bytes"`
	Depth     int            `json:"depth"`
	// Asked holds further dimensions of the load, by their keys.
	Asked asked `json:"asked,omitempty"`
	// It ends after a time, a number of bytes, or once the target was gone over
	// Times times, whichever is first; 0 is none of them.
	ForSeconds float64    `json:"for_seconds,omitempty"`
	Bytes      unit.Bytes `json:"bytes,omitempty"`
	Times      float64    `json:"times_over,omitempty"`
	// RoundSeconds asks it to end in a steady state, judged over rounds of that
	// length; 0 does not.
	RoundSeconds float64 `json:"steady_round_seconds,omitempty"`
	// Explained asks it to end once a cause of its course is settled with that probability; 0 does not.
	Explained float64 `json:"until_explained,omitempty"`
}

func parseSustain(n document.Node, _ int) (Work, error) {
	s := &Sustain{}
	given, err := n.Read(append(s.Asked.keys(),
		document.Into("operation", &s.Operation, parseReadOrWrite).Needed(),
		document.Into("access", &s.Access, load.ParseAccess).Needed(),
		document.Into("block", &s.Block, load.ParseBlock).Needed(),
		document.Into("depth", &s.Depth, load.ParseDepth).Needed(),
		document.Into("for", &s.ForSeconds, parseHoldSeconds),
		document.Into("bytes", &s.Bytes, unit.ParseBytes),
		document.Into("over", &s.Times, parseOver),
		document.Into("until-steady", &s.RoundSeconds, parseHoldSeconds),
		document.Into("until-explained", &s.Explained, parseCertainty),
	)...)
	if err == nil && !given.Any("for", "bytes", "over") {
		err = n.Errorf("expected when it ends: \"for\" a time, \"bytes\", or \"over\" the target so many times")
	}
	return s, err
}

// Kind says "sustain".
func (s *Sustain) Kind() string { return sustainKind.Name }

func (s *Sustain) passes() int { return 1 }

func (s *Sustain) expand(e *expansion, at Place) {
	l := s.Asked.of(load.New(s.Operation, s.Access, s.Block, s.Depth))
	l.Sustained = true
	end := End{Hold: LongestHold, Bytes: s.Bytes, Times: s.Times, Round: unit.Duration(s.RoundSeconds),
		Explained: s.Explained}
	if s.ForSeconds > 0 {
		end.Hold = unit.Duration(s.ForSeconds)
	}
	e.addPass(Pass{Load: l, End: end, Place: at, Step: sustainKind.Name})
}

func parseReadOrWrite(text string) (load.Operation, error) {
	operation, err := load.ParseOperation(text)
	if err == nil && operation == load.Mixed {
		err = fmt.Errorf("a sustained load is read or write, not mixed")
	}
	return operation, err
}

// parseOver reads how often a target is gone over: "2x".
func parseOver(text string) (float64, error) {
	times, err := strconv.ParseFloat(strings.TrimSuffix(text, "x"), 64)
	if err != nil || !(times > 0 && times <= 100) {
		return 0, fmt.Errorf("%q is not how often the target is gone over; write one like 2x", text)
	}
	return times, nil
}

// parseCertainty reads how likely a cause has to be for it to be settled: "90%".
func parseCertainty(text string) (float64, error) {
	share, err := load.ParseShare(text)
	if err != nil || share < 0.5 || share > 0.99 {
		return 0, fmt.Errorf("%q is not how likely a cause has to be, from 50%% to 99%%", text)
	}
	return share, nil
}
