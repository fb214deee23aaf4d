package session

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
)

// Evidence is the figures that a finding stands on, by name, each name ending in its unit: a JSON object. The
// kinds of findings give it types (judge/finding); a record keeps it as it stands, of unknown kinds too.
type Evidence []byte

// NewEvidence writes evidence from a struct with JSON names. A figure that cannot be written (it is no
// number) leaves it empty rather than spoil the record.
func NewEvidence(of any) Evidence {
	text, err := json.Marshal(of)
	if err != nil || len(text) == 0 || text[0] != '{' {
		return Evidence("{}")
	}
	return text
}

// With gives the evidence with more figures, in the order of their names.
func (e Evidence) With(named map[string]any) Evidence {
	made := bytes.TrimSuffix(e.object(), []byte("}"))
	for _, name := range slices.Sorted(maps.Keys(named)) {
		text, err := json.Marshal(map[string]any{name: named[name]})
		if err != nil {
			continue
		}
		if len(made) > 1 {
			made = append(made, ',')
		}
		made = append(made, text[1:len(text)-1]...)
	}
	return append(made, '}')
}

// Into reads the evidence into a struct.
func (e Evidence) Into(typed any) error {
	if err := json.Unmarshal(e.object(), typed); err != nil {
		return fmt.Errorf("the evidence of a finding: %w", err)
	}
	return nil
}

// Fact is one figure of evidence: a float64, a string, a bool, or whatever else JSON
// has.
type Fact struct {
	Name  string
	Value any
}

// Facts are the figures in the order in which they stand.
func (e Evidence) Facts() []Fact {
	decoder := json.NewDecoder(bytes.NewReader(e.object()))
	if _, err := decoder.Token(); err != nil {
		return nil
	}
	var facts []Fact
	for decoder.More() {
		name, err := decoder.Token()
		if err != nil {
			break
		}
		fact := Fact{Name: fmt.Sprint(name)}
		if decoder.Decode(&fact.Value) != nil {
			break
		}
		facts = append(facts, fact)
	}
	return facts
}

// Fact gives a figure by its name, or nil.
func (e Evidence) Fact(name string) any {
	for _, fact := range e.Facts() {
		if fact.Name == name {
			return fact.Value
		}
	}
	return nil
}

func (e Evidence) object() []byte {
	if len(e) == 0 {
		return []byte("{}")
	}
	return slices.Clone(e)
}

// MarshalJSON writes the object.
func (e Evidence) MarshalJSON() ([]byte, error) { return e.object(), nil }

// UnmarshalJSON keeps an object as it stands.
func (e *Evidence) UnmarshalJSON(data []byte) error {
	if string(data) == "null" {
		*e = Evidence("{}")
		return nil
	}
	if len(data) == 0 || data[0] != '{' {
		return fmt.Errorf("the evidence of a finding is %.20s, and no object", data)
	}
	*e = slices.Clone(data)
	return nil
}
