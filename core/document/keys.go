package document

import (
	"slices"
	"strings"
)

// Key is one key that a mapping may have, with what reads its value. A table of
// keys is how every file is read: what is not in the table is refused, with the
// nearest key that is.
type Key struct {
	Name string
	// Required keys are missed when they are not there, with Missing as the
	// words for it, or a sentence of the usual form where that is empty.
	Required bool
	Missing  string
	read     func(Node) error
}

// Given says which keys of a table a mapping has.
type Given map[string]bool

// Any reports whether at least one of the keys is there.
func (g Given) Any(names ...string) bool { return g.Count(names...) > 0 }

// Count is how many of the keys are there.
func (g Given) Count(names ...string) int {
	count := 0
	for _, name := range names {
		if g[name] {
			count++
		}
	}
	return count
}

// Needed makes a key required. The words say what it is for; without them the
// error says only that it is missing.
func (k Key) Needed(missing ...string) Key {
	k.Required, k.Missing = true, strings.Join(missing, " ")
	return k
}

// Into is a key whose value is one text that a parser understands.
func Into[T any](name string, place *T, parse func(string) (T, error)) Key {
	return Key{Name: name, read: func(n Node) (err error) {
		*place, err = Value(n, parse)
		return err
	}}
}

// Text is a key whose value is any text.
func Text(name string, place *string) Key { return Into(name, place, anyText) }

func anyText(text string) (string, error) { return text, nil }

// Name is a required key whose value is a text that is not blank.
func Name(name string, place *string) Key {
	return Key{Name: name, Required: true, read: func(n Node) (err error) {
		if *place, err = n.Text(); err == nil && strings.TrimSpace(*place) == "" {
			err = n.Errorf("expected a name, found nothing")
		}
		return err
	}}
}

// List is a key with a list of at least one value, each of them once; a single
// value stands for a list of one.
func List[T comparable](name string, place *[]T, parse func(string) (T, error)) Key {
	return Key{Name: name, read: func(n Node) error {
		values := []T{}
		for _, element := range n.List() {
			value, err := Value(element, parse)
			if err != nil {
				return err
			}
			if slices.Contains(values, value) {
				return element.Errorf("%v stands in this list twice", value)
			}
			values = append(values, value)
		}
		if len(values) == 0 {
			return n.Errorf("expected at least one value for %q", name)
		}
		*place = values
		return nil
	}}
}

// Texts is a key with a list of texts, each of them once.
func Texts(name string, place *[]string) Key { return List(name, place, anyText) }

// Nested is a key whose value is a mapping with a table of its own.
func Nested(name string, keys ...Key) Key {
	return Key{Name: name, read: func(n Node) error {
		_, err := n.Read(keys...)
		return err
	}}
}

// With is a key whose value is read in a way of its own.
func With(name string, read func(Node) error) Key { return Key{Name: name, read: read} }

// Each is a key with a list, each element of which is read in turn.
func Each(name string, read func(Node) error) Key {
	return Key{Name: name, Missing: "expected a list under \"" + name + "\"", read: func(n Node) error {
		if !n.IsList() {
			return n.Errorf("expected a list under %q", name)
		}
		for _, element := range n.List() {
			if err := read(element); err != nil {
				return err
			}
		}
		return nil
	}}
}

// Entries is a key with a mapping whose keys are names that the file itself
// chooses, read in the order in which they stand there.
func Entries(name string, read func(Entry) error) Key {
	return Key{Name: name, read: func(n Node) error {
		entries, err := n.Entries()
		if err != nil {
			return err
		}
		for _, entry := range entries {
			if err := read(entry); err != nil {
				return err
			}
		}
		return nil
	}}
}

// Read reads a mapping by a table of the keys that it may have, in the order of
// the table, and gives those that it has.
func (n Node) Read(keys ...Key) (Given, error) { return n.read(n, keys) }

// Read reads the mapping of an entry like [Node.Read]. What is missing in it is told
// with the place of the entry's key.
func (e Entry) Read(keys ...Key) (Given, error) { return e.Value.read(e.KeyNode, keys) }

func (n Node) read(place Node, keys []Key) (Given, error) {
	entries, err := n.Entries()
	if err != nil {
		return nil, n.Errorf("expected a mapping with the keys %s", strings.Join(namesOf(keys), ", "))
	}
	values := make(map[string]Node, len(entries))
	for _, entry := range entries {
		if !slices.ContainsFunc(keys, func(k Key) bool { return k.Name == entry.Key }) {
			return nil, entry.KeyNode.unknown(entry.Key, namesOf(keys))
		}
		values[entry.Key] = entry.Value
	}
	given := make(Given, len(entries))
	for _, key := range keys {
		value, ok := values[key.Name]
		if !ok && key.Required {
			return nil, place.missing(key)
		}
		if !ok {
			continue
		}
		given[key.Name] = true
		if err := key.read(value); err != nil {
			return nil, err
		}
	}
	return given, nil
}

func (n Node) missing(key Key) error {
	if key.Missing != "" {
		return n.Errorf("%s", key.Missing)
	}
	return n.Errorf("the key %q is missing", key.Name)
}

func (n Node) unknown(key string, known []string) error {
	if nearest, ok := Nearest(key, known); ok {
		return n.Errorf("unknown key %q; did you mean %q? Expected one of %s", key, nearest, strings.Join(known, ", "))
	}
	return n.Errorf("unknown key %q; expected one of %s", key, strings.Join(known, ", "))
}

func namesOf(keys []Key) []string {
	names := make([]string, len(keys))
	for i, key := range keys {
		names[i] = key.Name
	}
	return names
}
