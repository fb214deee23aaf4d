package plan

import (
	"fmt"
	"time"

	"opengauge/core/document"
	"opengauge/core/load"
	"opengauge/core/unit"
)

var contendKind = StepKind{
	Name:    "contend",
	About:   "runs one load on the target and on others: on each alone, and on all at once",
	Items:   []Item{Contending{}},
	Example: "contend: {with: [/media/other], operation: read, access: sequential, block: 1MiB, depth: 8}",
	parse:   parseContend,
	blank:   func() Work { return &Contend{} },
}

// Contend runs one load on the target and on others: on each alone, and on all at
// once.
type Contend struct {
	// With are the other targets, as they would be named to measure.
	With        []string       `json:"with"`
	Operation   load.Operation `json:"operation"`
	Access      load.Access    `json:"access"`
	Block       unit.Bytes     `json:"block_bytes"`
	Depth       int            `json:"depth"`
	HoldSeconds float64        `json:"hold_seconds,omitempty"`
	// Asked holds further dimensions of the load, by their keys.
	Asked asked `json:"asked,omitempty"`
}

// mostOthers bounds how many targets contend.
const mostOthers = 16

func parseContend(n document.Node, _ int) (Work, error) {
	c := &Contend{}
	_, err := n.Read(append(c.Asked.keys(),
		document.List("with", &c.With, parseAddress).Needed(),
		document.Into("operation", &c.Operation, parseReadOrWrite).Needed(),
		document.Into("access", &c.Access, load.ParseAccess).Needed(),
		document.Into("block", &c.Block, load.ParseBlock).Needed(),
		document.Into("depth", &c.Depth, load.ParseDepth).Needed(),
		document.Into("hold", &c.HoldSeconds, parseHoldSeconds),
	)...)
	if err == nil && len(c.With) > mostOthers {
		err = n.Errorf("expected 1 to %d other targets", mostOthers)
	}
	return c, err
}

func parseAddress(text string) (string, error) {
	if text == "" {
		return "", fmt.Errorf("expected a target, like /media/other")
	}
	return text, nil
}

// Kind says "contend".
func (c *Contend) Kind() string { return contendKind.Name }

func (c *Contend) passes() int { return 1 }

func (c *Contend) expand(e *expansion, at Place) {
	hold := e.hold
	if c.HoldSeconds > 0 {
		hold = unit.Duration(c.HoldSeconds)
	}
	l := e.asked.of(c.Asked.of(load.New(c.Operation, c.Access, c.Block, c.Depth)))
	l.Sustained = load.Lasts(hold)
	e.add(Contending{With: c.With, Pass: Pass{Load: l, End: End{Hold: hold}, Place: at, Step: contendKind.Name}})
}

// Contending is the pass of a contend step, and with whom it is run.
type Contending struct {
	With []string
	Pass Pass
}

// Does says "contend".
func (c Contending) Does() string { return "contend" }

// Writes reports whether its pass does.
func (c Contending) Writes() bool { return c.Pass.Writes() }

func (c Contending) allPasses() []Pass { return nil }

func (c Contending) estimate(total *tally) {
	runs := len(c.With) + 2 // each alone, and all at once
	total.Elapsed += c.Pass.Time() * time.Duration(runs)
	if c.Pass.Writes() {
		total.writing += float64(runs)
		total.Writing += c.Pass.Time() * 2
	}
}
