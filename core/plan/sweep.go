package plan

import (
	"encoding/json"
	"slices"
	"time"

	"opengauge/core/document"
	"opengauge/core/load"
	"opengauge/core/unit"
)

var sweepKind = StepKind{
	Name:    "sweep",
	About:   "crosses every list with the others and measures a pass for each combination",
	Items:   []Item{Pass{}, Grid{}},
	Example: "sweep: {operation: [read, write], access: random, block: [4KiB, 64KiB], depth: [1, 32], hold: 5s}",
	parse:   parseSweep,
	blank:   func() Work { return &Sweep{} },
}

// Sweep crosses every list with the others and measures a pass for each
// combination.
type Sweep struct {
	sweepLists
	// Asks are the other dimensions of load that it goes over.
	Asks []Ask `json:"-"`
}

type sweepLists struct {
	Operation []load.Operation `json:"operation"`
	Access    []load.Access    `json:"access"`
	Block     []unit.Bytes     `json:"block_bytes"`
	Depth     []int            `json:"depth"`
	Ending
	// Adaptive measures only those blocks and depths that tell the others, and
	// fills these in.
	Adaptive bool `json:"adaptive,omitempty"`
}

// Ask is the values of one dimension of load that a sweep goes over, as texts that
// the dimension understands.
type Ask struct {
	Dimension load.Dimension
	Values    []string
}

// Ending is when a pass of a sweep is over: at whichever of its limits comes first.
type Ending struct {
	// HoldSeconds is how long each pass counts; 0 leaves it to the caller.
	HoldSeconds float64 `json:"hold_seconds,omitempty"`
	// Bytes is how much each pass moves at the most; 0 is no limit.
	Bytes unit.Bytes `json:"bytes,omitempty"`
	// Within ends a pass once its throughput is known to within that share, by
	// a 95% interval; 0 does not.
	Within float64 `json:"within_share,omitempty"`
}

const (
	// AdaptiveShare is the most of an adaptive grid's passes that is measured.
	AdaptiveShare = 0.4
	// fewestAdaptive is the fewest depths of a grid: below that, more of each block size is measured than the
	// share.
	fewestAdaptive = 7
)

func parseSweep(n document.Node, _ int) (Work, error) {
	s := &Sweep{}
	keys := []document.Key{
		document.List("operation", &s.Operation, load.ParseOperation).Needed(),
		document.List("access", &s.Access, load.ParseAccess).Needed(),
		document.List("block", &s.Block, load.ParseBlock).Needed(),
		document.List("depth", &s.Depth, load.ParseDepth).Needed(),
	}
	for _, d := range load.Askable() {
		keys = append(keys, document.With(d.Key, func(n document.Node) error { return s.parseAsk(n, d) }))
	}
	given, err := n.Read(append(keys,
		document.Into("hold", &s.HoldSeconds, parseHoldSeconds),
		document.Into("bytes", &s.Bytes, unit.ParseBytes),
		document.Into("within", &s.Within, ParseWithin),
		document.Into("adaptive", &s.Adaptive, load.ParseYesNo),
	)...)
	if err != nil {
		return nil, err
	}
	for _, d := range load.Askable() {
		if d.Mixed && slices.Contains(s.Operation, load.Mixed) != given[d.Key] {
			return nil, n.Errorf("%q belongs to the operation mixed, and mixed needs it", d.Key)
		}
	}
	return s, nil
}

// parseAsk reads the values of a dimension: one, or a list that is crossed.
func (s *Sweep) parseAsk(n document.Node, d load.Dimension) error {
	if d.Single && n.IsList() {
		return n.Errorf("%q takes one value", d.Key)
	}
	ask, seen := Ask{Dimension: d}, []load.Load{}
	for _, element := range n.List() {
		text, err := element.Text()
		if err != nil {
			return err
		}
		asked := load.Load{Operation: load.Mixed}
		if err := d.Ask(&asked, text); err != nil {
			return element.Errorf("%s", err)
		}
		if slices.Contains(seen, asked) {
			return element.Errorf("%s stands in this list twice", text)
		}
		seen, ask.Values = append(seen, asked), append(ask.Values, text)
	}
	if len(ask.Values) == 0 {
		return n.Errorf("expected at least one value for %q", d.Key)
	}
	s.Asks = append(s.Asks, ask)
	return nil
}

// Only lets the sweep ask for one value of a dimension, whatever it asked before.
func (s *Sweep) Only(d load.Dimension, text string) {
	s.Asks = slices.DeleteFunc(slices.Clone(s.Asks), func(a Ask) bool { return a.Dimension.Key == d.Key })
	s.Asks = append(s.Asks, Ask{d, []string{text}})
}

// Kind says "sweep".
func (s *Sweep) Kind() string { return sweepKind.Name }

func (s *Sweep) passes() int {
	total := len(s.Operation) * len(s.Access) * len(s.Block) * len(s.Depth)
	for _, ask := range s.Asks {
		total *= len(ask.Values)
	}
	return total
}

func (s *Sweep) expand(e *expansion, at Place) {
	end := End{Hold: e.hold, Bytes: s.Bytes, Within: s.Within}
	if s.HoldSeconds > 0 {
		end.Hold = unit.Duration(s.HoldSeconds)
	}
	for _, l := range s.variants(end.Hold) {
		var passes []Pass
		for _, block := range s.Block {
			for _, depth := range s.Depth {
				l.Block, l.Depth = block, depth
				passes = append(passes, e.next(Pass{Load: l, End: end, Place: at, Step: sweepKind.Name}))
			}
		}
		if s.Adaptive && len(s.Depth) >= fewestAdaptive {
			e.add(Grid{passes})
			continue
		}
		for _, pass := range passes {
			e.add(pass)
		}
	}
}

// variants are the loads that differ in other than block and depth: operations
// vary slowest, then access, then the dimensions from the last to the first.
func (s *Sweep) variants(hold time.Duration) []load.Load {
	var made []load.Load
	for _, operation := range s.Operation {
		for _, access := range s.Access {
			l := load.New(operation, access, 0, 0)
			l.Sustained = load.Lasts(hold) && s.Bytes == 0
			made = append(made, l)
		}
	}
	for _, d := range slices.Backward(load.Askable()) {
		for _, ask := range s.Asks {
			if ask.Dimension.Key == d.Key {
				made = cross(made, ask)
			}
		}
	}
	return made
}

// cross gives every load with every value that is asked for.
func cross(loads []load.Load, ask Ask) []load.Load {
	var all []load.Load
	for _, l := range loads {
		for _, text := range ask.Values {
			if !ask.Dimension.Mixed || l.Operation == load.Mixed {
				_ = ask.Dimension.Ask(&l, text) // parsed before, when the plan was read
			}
			all = append(all, l)
		}
	}
	return all
}

// Grid is the passes of an adaptive sweep that differ in block and depth alone. Of
// those at most [AdaptiveShare] is measured, and the rest is filled in.
type Grid struct{ Passes []Pass }

// Does says "grid".
func (g Grid) Does() string { return "grid" }

// Writes reports whether its passes do.
func (g Grid) Writes() bool { return slices.ContainsFunc(g.Passes, Pass.Writes) }

func (g Grid) allPasses() []Pass { return g.Passes }

func (g Grid) estimate(total *tally) {
	for _, pass := range g.Passes {
		total.pass(pass, AdaptiveShare)
	}
}

// MarshalJSON writes the lists and further dimensions, by their columns.
func (s *Sweep) MarshalJSON() ([]byte, error) {
	text, err := json.Marshal(s.sweepLists)
	if err != nil {
		return nil, err
	}
	for _, ask := range s.Asks {
		var values any
		if values, err = ask.values(); err != nil {
			return nil, err
		}
		value, err := json.Marshal(map[string]any{ask.Dimension.Column: values})
		if err != nil {
			return nil, err
		}
		text = append(append(text[:len(text)-1], ','), value[1:]...)
	}
	return text, nil
}

// values are the values as documents have them.
func (a Ask) values() (any, error) {
	var all []any
	for _, text := range a.Values {
		l := load.Load{Operation: load.Mixed}
		if err := a.Dimension.Ask(&l, text); err != nil {
			return nil, err
		}
		all = append(all, a.Dimension.Value(l))
	}
	if a.Dimension.Single && len(all) == 1 {
		return all[0], nil
	}
	return all, nil
}

// UnmarshalJSON reads the output of MarshalJSON. A value that its dimension does not understand is left out:
// the record of a plan is read even where a newer program made it.
func (s *Sweep) UnmarshalJSON(data []byte) error {
	if err := json.Unmarshal(data, &s.sweepLists); err != nil {
		return err
	}
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(data, &fields); err != nil {
		return err
	}
	for _, d := range load.Askable() {
		value, ok := fields[d.Column]
		if !ok {
			continue
		}
		var several []json.RawMessage
		if json.Unmarshal(value, &several) != nil {
			several = []json.RawMessage{value}
		}
		ask := Ask{Dimension: d}
		for _, each := range several {
			if d.Ask(&load.Load{}, string(each)) == nil {
				ask.Values = append(ask.Values, string(each))
			}
		}
		if len(ask.Values) > 0 {
			s.Asks = append(s.Asks, ask)
		}
	}
	return nil
}
