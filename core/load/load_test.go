package load

import (
	"encoding/json"
	"strings"
	"testing"

	"opengauge/core/unit"
)

// What a load is called reads back as that load, with each thing that may be asked.
func TestNamesReadBack(t *testing.T) {
	loads := []Load{New(Read, Random, 4*unit.KiB, 32), New(Write, Sequential, unit.MiB, 8), {
		Operation: Mixed, Access: Random, Block: 4608, Depth: 3, Workers: 4, WriteShare: 0.3, CompressibleShare: 0.5,
		Rate: 2000, Durable: true, Span: 2 * unit.GiB, Sustained: true,
	}}
	for _, d := range Dimensions {
		l := New(Write, Sequential, 32*unit.KiB, 2)
		if d.Mixed {
			l = Load{Operation: Mixed, Access: Random, Block: 64 * unit.KiB, Depth: 2, Workers: 1}
		}
		if err := d.Ask(&l, sampleOf(d)); err != nil {
			t.Fatalf("%s: %v", d.Key, err)
		}
		if d.Text(l) == "" {
			t.Errorf("a load with %s does not say so", d.Key)
		}
		loads = append(loads, l)
	}
	for _, l := range loads {
		if got, err := Parse(l.Long()); err != nil || got != l {
			t.Errorf("%q reads back as %+v, %v; want %+v", l.Long(), got, err, l)
		}
	}
}

// sampleOf is an unusual value that a dimension takes.
func sampleOf(d Dimension) string {
	if d.Switch {
		return "yes"
	}
	for _, text := range []string{"12.5%", "64KiB", "7", "mixed", "random"} {
		if d.Ask(&Load{}, text) == nil {
			return text
		}
	}
	return "nothing"
}

// Each value that a plan may ask for has a name of its own, which reads back without loss.
func TestNamesTellValuesApart(t *testing.T) {
	values := map[string][]string{
		"operation": {"read", "write", "mixed"}, "access": {"sequential", "random"},
		"block_bytes": {"512", "4608", "4KiB", "1MiB", "16MiB"}, "depth": {"1", "1024"}, "workers": {"1", "2", "256"},
		"write_share": {"0", "0.000001", "7%", "33.3333%", "99.9999%", "1"}, "compressible_share": {"0.001%", "29%", "1"},
		"rate_per_second": {"0.01", "0.5", "1234.5678", "100000000"}, "durable": {"yes"},
		"span_bytes": {"512", "67120640", "256MiB", "1TB", "7TiB"}, "sustained": {"true"},
	}
	for _, d := range Dimensions {
		seen := map[string]string{}
		for _, text := range values[d.Column] {
			l := Load{Operation: Mixed, Access: Random, Block: 64 * unit.KiB, Depth: 2, Workers: 1}
			if err := d.Ask(&l, text); err != nil {
				t.Fatalf("%s: %v", d.Column, err)
			}
			if l.Operation != Mixed {
				l.WriteShare = l.Operation.share()
			}
			name := l.Long()
			if other, ok := seen[name]; ok {
				t.Errorf("%s of %s and of %s are both called %q", d.Column, other, text, name)
			}
			seen[name] = text
			if got, err := Parse(name); err != nil || got != l {
				t.Errorf("%q reads back as %+v, %v; want %+v", name, got, err, l)
			}
		}
		if len(seen) == 0 {
			t.Errorf("no value of %s is tried here", d.Column)
		}
	}
}

func TestNamesThatAreNone(t *testing.T) {
	for text, want := range map[string]string{
		"":                                      "is not a load",
		"read random 4 KiB":                     "is not a load",
		"erase random 4 KiB, depth 1":           "unknown operation",
		"read sideways 4 KiB, depth 1":          "unknown access order",
		"read random 5 B, depth 1":              "multiple of 512",
		"read random 4 KiB, depth 0":            "whole number",
		"read random 4 KiB, depth 1, upside":    `called "upside"`,
		"read random 4 KiB, depth 1, 2 workerz": `called "2 workerz"`,
	} {
		if got, err := Parse(text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q gives %+v, %v; want %q in the error", text, got, err, want)
		}
	}
}

// What documents call a dimension is what the load's JSON has.
func TestColumnsAreTheKeysOfDocuments(t *testing.T) {
	for _, d := range Dimensions {
		l := Load{Operation: Mixed}
		if err := d.Ask(&l, sampleOf(d)); err != nil {
			t.Fatal(err)
		}
		text, err := json.Marshal(l)
		if err != nil {
			t.Fatal(err)
		}
		want, _ := json.Marshal(d.Value(l))
		if !strings.Contains(string(text), `"`+d.Column+`":`+string(want)) {
			t.Errorf("%s: the document has %s, want %q with %s", d.Key, text, d.Column, want)
		}
	}
}

// Records of older programs leave out what was usual.
func TestWhatIsLeftOutIsAsUsual(t *testing.T) {
	full := New(Write, Random, 4*unit.KiB, 1)
	if sparse := (Load{Operation: Write, Access: Random, Block: 4 * unit.KiB}); sparse.Identity() != full {
		t.Errorf("%+v counts as %+v, want %+v", sparse, sparse.Identity(), full)
	}
	if odd := (Load{Operation: Read, WriteShare: 0.4}); odd.Identity().WriteShare != 0 {
		t.Error("a read has a share of writes")
	}
	if mixed := (Load{Operation: Mixed, WriteShare: 0.4}); mixed.Identity().WriteShare != 0.4 {
		t.Error("a mixed load loses its share of writes")
	}
}

func TestSustainedIsDecidedInOnePlace(t *testing.T) {
	if Lasts(sustained-1) || !Lasts(sustained) {
		t.Error("the shortest sustained load is not where it is said to be")
	}
}

func TestOutstanding(t *testing.T) {
	for _, each := range []struct{ depth, workers, want int }{{0, 0, 1}, {8, 1, 8}, {8, 4, 32}} {
		if got := (Load{Depth: each.depth, Workers: each.workers}).Outstanding(); got != each.want {
			t.Errorf("depth %d, %d workers: %d under way, want %d", each.depth, each.workers, got, each.want)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add("read random 4 KiB, depth 32")
	f.Add("mixed random 4 KiB, depth 32, 2 workers, 30 % writes, 50 % compressible, 2000 a second, durable, within 2 GiB")
	f.Fuzz(func(t *testing.T, text string) {
		l, err := Parse(text)
		if err != nil {
			return
		}
		if again, err := Parse(l.Long()); err != nil || again.Long() != l.Long() {
			t.Errorf("%q reads as %q, and that as %q, %v", text, l.Long(), again.Long(), err)
		}
	})
}
