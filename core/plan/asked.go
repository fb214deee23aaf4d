package plan

import (
	"maps"

	"opengauge/core/document"
	"opengauge/core/load"
)

// asked holds the dimensions of a load besides operation, access, block and depth, for a step with one load:
// values in the words of a plan, by the dimension's key.
type asked map[string]string

// keys returns the keys of the dimensions that a load of one operation may have.
func (a *asked) keys() []document.Key {
	var keys []document.Key
	for _, d := range load.Askable() {
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

// with returns a copy with one dimension more.
func (a asked) with(d load.Dimension, text string) asked {
	made := asked{}
	maps.Copy(made, a)
	made[d.Key] = text
	return made
}

// of returns a load with the dimensions.
func (a asked) of(l load.Load) load.Load {
	for _, d := range load.Askable() {
		if text, ok := a[d.Key]; ok {
			_ = d.Ask(&l, text) // parsed before, when the plan was read
		}
	}
	return l
}

// Asking returns a copy of the plan all of whose loads ask for a value of a dimension, whatever they asked
// before. It fails for a value that the dimension does not take.
func (p Plan) Asking(d load.Dimension, text string) (Plan, error) {
	if err := d.Ask(&load.Load{}, text); err != nil {
		return p, err
	}
	p.Asked = p.Asked.with(d, text)
	return p.EachSweep(func(s *Sweep) { s.Only(d, text) }), nil // and crosses no others
}
