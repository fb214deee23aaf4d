package plan

import (
	"fmt"
	"slices"

	"opengauge/core/document"
	"opengauge/core/load"
)

// asked is what a step with one load asks of it besides operation, access, block and
// depth: by the dimension's key, in the words of a plan.
type asked map[string]string

// keys are those of the dimensions that a load of one operation may have.
func (a *asked) keys() []document.Key {
	var keys []document.Key
	for _, d := range load.Dimensions {
		if d.Mixed {
			continue
		}
		keys = append(keys, document.With(d.Key, func(n document.Node) error {
			text, err := n.Text()
			if err != nil {
				return err
			}
			if err := d.Ask(&load.Load{}, text); err != nil {
				return n.Errorf("%s", err)
			}
			*a = a.with(d, text)
			return nil
		}))
	}
	return keys
}

// with gives what is asked with one dimension more, and leaves the former as it is.
func (a asked) with(d load.Dimension, text string) asked {
	made := asked{d.Key: text}
	for key, value := range a {
		if key != d.Key {
			made[key] = value
		}
	}
	return made
}

// of a load sets what is asked.
func (a asked) of(l load.Load) load.Load {
	for _, d := range load.Dimensions {
		if text, ok := a[d.Key]; ok {
			_ = d.Ask(&l, text) // parsed before, when the plan was read
		}
	}
	return l
}

// Asking gives a copy of the plan all of whose loads ask for a value of a dimension,
// whatever they asked before, or says which step has none that could.
func (p Plan) Asking(d load.Dimension, text string) (Plan, error) {
	steps, err := asking(p.Steps, d, text)
	p.Steps = steps
	return p, err
}

func asking(steps []Step, d load.Dimension, text string) ([]Step, error) {
	changed := slices.Clone(steps)
	for i, step := range steps {
		switch work := step.Work.(type) {
		case *Sweep:
			sweep := *work
			sweep.Only(d, text)
			changed[i].Work = &sweep
		case *Sustain:
			sustain := *work
			sustain.Asked = work.Asked.with(d, text)
			changed[i].Work = &sustain
		case *Contend:
			contend := *work
			contend.Asked = work.Asked.with(d, text)
			changed[i].Work = &contend
		case holder:
			inside, err := asking(work.held(), d, text)
			if err != nil {
				return nil, err
			}
			changed[i].Work = work.holding(inside)
		case *Rest:
		default:
			return nil, fmt.Errorf("%q cannot be asked of the step %q", d.Key, step.Work.Kind())
		}
	}
	return changed, nil
}
