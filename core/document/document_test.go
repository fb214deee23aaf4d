package document

import (
	"errors"
	"strconv"
	"strings"
	"testing"
	"time"
)

func TestFieldsAndLists(t *testing.T) {
	root, err := Parse("tide.yaml", []byte("name: ebb\ndepth: [1, 8]\nhold: 5s\nabout: |\n  two\n  lines\n"))
	if err != nil {
		t.Fatal(err)
	}
	fields, err := root.Fields("name", "depth", "hold", "about")
	if err != nil {
		t.Fatal(err)
	}
	if name, _ := fields["name"].Text(); name != "ebb" {
		t.Errorf("name is %q, want ebb", name)
	}
	if about, _ := fields["about"].Text(); about != "two\nlines\n" {
		t.Errorf("about is %q", about)
	}
	depths := fields["depth"].List()
	if len(depths) != 2 {
		t.Fatalf("depth has %d values, want 2", len(depths))
	}
	if second, _ := depths[1].Text(); second != "8" {
		t.Errorf("second depth is %q, want 8", second)
	}
	if single := fields["hold"].List(); len(single) != 1 || fields["hold"].IsList() {
		t.Errorf("a single value gives %d elements, want 1", len(single))
	}
}

func TestErrorsNameThePlace(t *testing.T) {
	cases := []struct {
		name, source string
		read         func(Node) error
		want         string
	}{
		{"unknown key", "a: 1\nwrong: 2\n", fieldsOf("a", "b"), `t.yaml:2:1: unknown key "wrong"; expected one of a, b`},
		{"not a mapping", "- 1\n", fieldsOf("a"), "t.yaml:1:1: expected a mapping with the keys a"},
		{"no value", "a:\n", textOf("a"), "expected a value, found nothing"},
		{"list for a value", "a: [1, 2]\n", textOf("a"), "t.yaml:1:4: expected a single value"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			root, err := Parse("t.yaml", []byte(c.source))
			if err != nil {
				t.Fatal(err)
			}
			err = c.read(root)
			if err == nil || !strings.Contains(err.Error(), c.want) {
				t.Errorf("error is %v, want one with %q", err, c.want)
			}
		})
	}
}

func TestParseRefuses(t *testing.T) {
	for name, source := range map[string]string{
		"empty":           "",
		"only a comment":  "# nothing\n",
		"two documents":   "a: 1\n---\nb: 2\n",
		"unclosed list":   "a: [1, 2\n",
		"key given twice": "a: 1\na: 2\n",
		"far too large":   strings.Repeat("#", maxSize+1),
	} {
		root, err := Parse("t.yaml", []byte(source))
		if err == nil {
			_, err = root.Fields("a")
		}
		if err == nil {
			t.Errorf("%s: no error", name)
			continue
		}
		var placed *Error
		if errors.As(err, &placed) && (placed.Line < 1 || placed.Column < 1) {
			t.Errorf("%s: place is %d:%d", name, placed.Line, placed.Column)
		}
		if strings.Contains(err.Error(), "\n") {
			t.Errorf("%s: the message has several lines: %q", name, err)
		}
	}
}

func fieldsOf(keys ...string) func(Node) error {
	return func(n Node) error {
		_, err := n.Fields(keys...)
		return err
	}
}

func textOf(key string) func(Node) error {
	return func(n Node) error {
		fields, err := n.Fields(key)
		if err != nil {
			return err
		}
		_, err = fields[key].Text()
		return err
	}
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{"a: 1", "a: [1, {b: c}]", "- x\n- y", "? !!set", "&a b: *a", "a: |\n  x"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, source string) {
		root, err := Parse("f.yaml", []byte(source))
		if err != nil {
			return
		}
		walk(root, 0)
	})
}

// walk reads everything that a document holds.
func walk(n Node, depth int) {
	if depth > 50 {
		return
	}
	if n.IsList() {
		for _, each := range n.List() {
			walk(each, depth+1)
		}
		return
	}
	entries, err := n.Entries()
	if err != nil {
		_, _ = n.Text()
		return
	}
	for _, entry := range entries {
		walk(entry.Value, depth+1)
	}
}

func TestValuesAndSections(t *testing.T) {
	root, err := Parse("tide.yaml", []byte("depth: 8\nhold: long\nparts: {buoy: 1, anchor: 2}\n"))
	if err != nil {
		t.Fatal(err)
	}
	fields, err := root.Fields("depth", "hold", "parts", "chains")
	if err != nil {
		t.Fatal(err)
	}
	if depth, err := Value(fields["depth"], strconv.Atoi); err != nil || depth != 8 {
		t.Errorf("depth is %d, %v, want 8", depth, err)
	}
	var fault *Error
	if _, err := Value(fields["hold"], time.ParseDuration); !errors.As(err, &fault) || fault.Line != 2 || fault.Column != 7 {
		t.Errorf("a value that does not parse gives %v, want an error at 2:7", err)
	}
	if _, err := Value(fields["parts"], strconv.Atoi); !errors.As(err, &fault) || fault.Line != 3 {
		t.Errorf("a mapping for a value gives %v, want an error in line 3", err)
	}
	if entries, err := Section(fields, "parts"); err != nil || len(entries) != 2 || entries[1].Key != "anchor" {
		t.Errorf("parts are %v, %v", entries, err)
	}
	if entries, err := Section(fields, "chains"); err != nil || entries != nil {
		t.Errorf("a section left out is %v, %v", entries, err)
	}
	if _, err := Section(fields, "depth"); err == nil {
		t.Error("a value stands for a section")
	}
}
