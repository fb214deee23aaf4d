package document

import (
	"errors"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
)

func TestReadByATable(t *testing.T) {
	root, err := Parse("tide.yaml", []byte("name: ebb\ndepth: [1, 8]\nhold: 5s\nabout: |\n  two\n  lines\nparts: "+
		"{buoy: 1, anchor: 2}\n"))
	if err != nil {
		t.Fatal(err)
	}
	var name, about string
	var depths []int
	var hold time.Duration
	var parts []string
	given, err := root.Read(Name("name", &name), List("depth", &depths, strconv.Atoi),
		Into("hold", &hold, time.ParseDuration),
		Text("about", &about), Text("notes", &name),
		Entries("parts", func(e Entry) error { parts = append(parts, e.Key); return nil }))
	if err != nil {
		t.Fatal(err)
	}
	if name != "ebb" || about != "two\nlines\n" || !slices.Equal(depths, []int{1, 8}) || hold != 5*time.Second {
		t.Errorf("read %q, %q, %v, %v", name, about, depths, hold)
	}
	if !slices.Equal(parts, []string{"buoy", "anchor"}) {
		t.Errorf("the parts are %v, not in their order", parts)
	}
	if !given["depth"] || given["notes"] || given.Count("name", "about", "notes") != 2 || given.Any("notes") {
		t.Errorf("given are %v", given)
	}
}

func TestNearest(t *testing.T) {
	known := []string{"operation", "access", "block", "depth", "write-share", "until-within", "at", "latency"}
	for written, want := range map[string]string{
		"blok": "block", "dpeth": "depth", "Depth": "depth", "acess": "access", "write_share": "write-share",
		"share":       "write-share",
		"queue-depth": "depth", "within": "until-within", "colour": "", "x": "", "latancy": "latency",
	} {
		if got, _ := Nearest(written, known); got != want {
			t.Errorf("nearest to %q is %q, want %q", written, got, want)
		}
	}
}

func TestErrorsNameThePlace(t *testing.T) {
	cases := []struct {
		name, source string
		read         func(Node) error
		want         string
	}{
		{"unknown key", "a: 1\nwrong: 2\n", textsOf("a", "b"), `t.yaml:2:1: unknown key "wrong"; expected one of a, b`},
		{"a slip", "depht: 2\n", textsOf("block", "depth"),
			`t.yaml:1:1: unknown key "depht"; did you mean "depth"? Expected one of block, depth`},
		{"missing", "a: 1\n", func(n Node) error {
			var b string
			_,
				err := n.Read(Text("a", &b), Name("b", &b))
			return err
		}, `t.yaml:1:2: the key "b" is missing`},
		{"missing, in words", "a: 1\n", func(n Node) error {
			var b string
			_, err := n.Read(Text("a", &b), Text("b", &b).Needed("say which b"))
			return err
		}, "say which b"},
		{"blank name", "a: ' '\n", func(n Node) error { var a string; _, err := n.Read(Name("a", &a)); return err },
			"t.yaml:1:4: expected a name, found nothing"},
		{"twice in a list", "a: [x, y, x]\n",
			func(n Node) error { var a []string; _, err := n.Read(List("a", &a, anyText)); return err },
			"t.yaml:1:11: x stands in this list twice"},
		{"empty list", "a: []\n",
			func(n Node) error { var a []string; _, err := n.Read(List("a", &a, anyText)); return err },
			`expected at least one value for "a"`},
		{"a value for a mapping", "a: 1\n",
			func(n Node) error { _, err := n.Read(Nested("a", Key{Name: "b"})); return err },
			"t.yaml:1:4: expected a mapping with the keys b"},
		{"a value for a list", "a: 1\n", func(n Node) error { _, err := n.Read(Each("a", nil)); return err },
			`t.yaml:1:4: expected a list under "a"`},
		{"not a mapping", "- 1\n", textsOf("a"), "t.yaml:1:1: expected a mapping with the keys a"},
		{"no value", "a:\n", textsOf("a"), "expected a value, found nothing"},
		{"list for a value", "a: [1, 2]\n", textsOf("a"), "t.yaml:1:4: expected a single value"},
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
			err = textsOf("a")(root)
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

func textsOf(names ...string) func(Node) error {
	return func(n Node) error {
		var keys []Key
		for _, name := range names {
			keys = append(keys, Text(name, new(string)))
		}
		_, err := n.Read(keys...)
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
