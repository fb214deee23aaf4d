package plan

import (
	"encoding/json"
	"fmt"

	"opengauge/core/document"
)

// Step is one step of a plan: work of one of the [StepKinds]. In JSON it is an
// object of one key, the kind's name.
type Step struct{ Work }

// Work is the content of a step of a kind.
type Work interface {
	// Kind is the name of the step's kind.
	Kind() string
	// passes is how many passes it asks for, found without making them.
	passes() int
	// expand adds its items to an expansion, in order.
	expand(e *expansion, at Place)
}

// holder is work that holds steps of its own.
type holder interface {
	Work
	inner() []Step
	holding(steps []Step) Work
}

// StepKind is a kind of step with its words in plans, documents and docs.
type StepKind struct {
	Name, About string
	// Items are the items that its steps expand into, besides the steps that they hold.
	Items []Item
	// Example is a step of it, as a plan has it.
	Example string
	parse   func(n document.Node, nesting int) (Work, error)
	blank   func() Work
}

// StepKinds are all kinds of steps. Each is described in a file of its own.
var StepKinds []StepKind

func init() { // here, as holders parse steps, and so refer back to this list
	StepKinds = []StepKind{
		sweepKind, sustainKind, repeatKind, fillKind, restKind, contendKind, startKind,
	}
}

// mostNesting is how deep steps may stand in each other.
const mostNesting = 3

// stepsKey is the key with a list of steps.
func stepsKey(place *[]Step, nesting int) document.Key {
	return document.Each("steps", func(n document.Node) error {
		step, err := parseStep(n, nesting)
		*place = append(*place, step)
		return err
	})
}

func parseStep(n document.Node, nesting int) (Step, error) {
	step := Step{}
	var keys []document.Key
	for _, kind := range StepKinds {
		keys = append(keys, document.With(kind.Name, func(n document.Node) (err error) {
			step.Work, err = kind.parse(n, nesting)
			return err
		}))
	}
	given, err := n.Read(keys...)
	if err == nil && len(given) != 1 {
		err = n.Errorf("expected exactly one step here")
	}
	return step, err
}

// count is how many passes steps ask for, at most a billion.
func count(steps []Step) int {
	total := 0
	for _, step := range steps {
		total += step.passes()
	}
	return min(total, 1e9)
}

// MarshalJSON writes {"kind": {...}}.
func (s Step) MarshalJSON() ([]byte, error) {
	return json.Marshal(map[string]Work{s.Kind(): s.Work})
}

// UnmarshalJSON reads the output of MarshalJSON. A step of a kind unknown to this program, of a newer one, is
// kept as it stands.
func (s *Step) UnmarshalJSON(data []byte) error {
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(data, &fields); err != nil {
		return err
	}
	if len(fields) != 1 {
		return fmt.Errorf("a plan's step has %d keys, and not the one of its kind", len(fields))
	}
	for name, body := range fields {
		s.Work = unknown{name, body}
		for _, kind := range StepKinds {
			if kind.Name == name {
				s.Work = kind.blank()
				return json.Unmarshal(body, s.Work)
			}
		}
	}
	return nil
}

// unknown is a step of a kind that this program does not know.
type unknown struct {
	kind string
	body json.RawMessage
}

func (u unknown) Kind() string                 { return u.kind }
func (u unknown) passes() int                  { return 0 }
func (u unknown) expand(*expansion, Place)     {}
func (u unknown) MarshalJSON() ([]byte, error) { return u.body, nil }
