package review

import (
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/examples"
)

// bench is the demo's bench book.
func bench(t testing.TB) book.Book {
	t.Helper()
	b, err := book.Parse(examples.BenchName, examples.Bench)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// cases is a review of two cases with two drives on two hosts, and a fan in one of the cases.
const cases = `review: cases
question: Which case for which drive?
compare:
  host: [cabin-desk.front, deck-tablet]
  enclosure: [limpet, barnacle]
  drive: [sandpiper, dunlin]
  fan: {levels: [automatic, "on"], in: {enclosure: barnacle}}
with: {cable: short-cable, ambient: 23C}
measure:
  - plan: long-write
decide:
  smallest: time
  amount: 100GB
  of: write
  given: host
budget: {owned: [cabin-desk, deck-tablet, short-cable]}
`

func parse(t *testing.T, source string) Review {
	t.Helper()
	r, err := Parse("review.yaml", []byte(source), bench(t))
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestCellsOfNestedFactors(t *testing.T) {
	r := parse(t, cases)
	var names []string
	for _, c := range r.Cells() {
		names = append(names, c.Name)
	}
	want := "cabin-desk.front/limpet/sandpiper cabin-desk.front/limpet/dunlin " +
		"cabin-desk.front/barnacle/sandpiper/automatic " +
		"cabin-desk.front/barnacle/sandpiper/on"
	if got := strings.Join(names, " "); len(names) != 12 || !strings.HasPrefix(got, want) {
		t.Errorf("%d cells: %s", len(names), got)
	}
	c, _ := r.Cell("deck-tablet/barnacle/dunlin/on")
	if got := strings.Join(c.Parts(), ","); got != "deck-tablet,short-cable,barnacle,dunlin" {
		t.Errorf("parts %s", got)
	}
	if c.Price != 129+109 {
		t.Errorf("it costs %g without what is owned", c.Price)
	}
	if got := c.Conditions(); len(got) != 2 || got["fan"] != "on" || got["ambient"] != "23C" {
		t.Errorf("conditions %v", got)
	}
	if c.Storage() != "dunlin" || c.Host() != "deck-tablet" {
		t.Errorf("%s at %s", c.Storage(), c.Host())
	}
	if got := strings.Join(r.Decide.Choose, " "); got != "enclosure drive fan" {
		t.Errorf("chosen are %s", got)
	}
}

// A fan that is not said to be in its case cannot be in the other one; a slower link is
// no reason.
func TestCellsThatCannotBe(t *testing.T) {
	r := parse(t, strings.Replace(cases, `{levels: [automatic, "on"], in: {enclosure: barnacle}}`, `[automatic, "on"]`, 1))
	if len(r.Cells()) != 8 || len(r.Impossible()) != 8 {
		t.Fatalf("%d can be and %d cannot", len(r.Cells()), len(r.Impossible()))
	}
	if never := r.Impossible()[0]; !strings.Contains(never.Name, "limpet") ||
		!strings.Contains(never.Why, "fan automatic") {
		t.Errorf("%+v", never)
	}
	sealed := strings.Replace(cases, "cable: short-cable, ", "", 1)
	with := strings.Replace(string(examples.Bench), "bridge: LB-10", "bridge: LB-10\n    not-with: [dunlin]", 1)
	b, err := book.Parse("bench.yaml", []byte(with))
	if err != nil {
		t.Fatal(err)
	}
	r, err = Parse("review.yaml", []byte(sealed), b)
	if err != nil || len(r.Impossible()) != 2 || !strings.Contains(r.Impossible()[0].Why, "limpet is not with dunlin") {
		t.Errorf("%v %v", r.Impossible(), err)
	}
}

func TestPlugs(t *testing.T) {
	source := strings.Replace(string(examples.Bench), "front: usb4 40g", "front: usb4 40g\n      net: ethernet 10g", 1)
	b, err := book.Parse("bench.yaml", []byte(source))
	if err != nil {
		t.Fatal(err)
	}
	r, err := Parse("review.yaml", []byte(strings.Replace(cases, "host: [", "host: [cabin-desk.net, ", 1)), b)
	if err != nil {
		t.Fatal(err)
	}
	if len(r.Cells()) != 12 || len(r.Impossible()) != 6 ||
		!strings.Contains(r.Impossible()[0].Why, "cabin-desk connects by ethernet 10g and short-cable by usb4 40g") {
		t.Errorf("%d cells, %v", len(r.Cells()), r.Impossible())
	}
}

const candidates = `review: job
question: Which for the job?
candidates:
  light: {drive: curlew, enclosure: limpet}
  fast: {drive: sandpiper, enclosure: barnacle, fan: "on"}
with: {host: deck-tablet, cable: short-cable}
measure:
  - streams: recorders
    for: 1m
  - copy: mixed-folder
    size: 2GB
    from: sim:turnstone
    times: 2
decide:
  largest: rate
  of: copy mixed-folder
  matters: 10%
  sure: 0.9
  must: {carries: recorders, price-at-most: 300, no-dropout: yes, capacity-at-least: 400GB, warmest-at-most: 80C}
budget: {owned: [deck-tablet], hours-at-most: 8, visits-at-most: 4}
`

func TestCandidates(t *testing.T) {
	r := parse(t, candidates)
	if len(r.Cells()) != 2 || r.Cells()[1].Name != "fast" || r.Cells()[1].Price != 24+129+84 {
		t.Errorf("%+v", r.Cells())
	}
	d := r.Decide
	if d.Matters != 0.1 || d.Sure != 0.9 || d.Must.PriceMost != 300 || !d.Must.NoDropout || d.Must.Warmest != 80 {
		t.Errorf("%+v", d)
	}
	streams, copied := r.Measure[0], r.Measure[1]
	if streams.Name != "streams-recorders" || len(streams.Plan.Passes(streams.Hold)) != 1 || copied.Times != 2 ||
		copied.Other != "sim:turnstone" || copied.Out {
		t.Errorf("%+v", r.Measure)
	}
}

// What is too dear or too small is not the answer, and its cell says so.
func TestExcluded(t *testing.T) {
	for change, want := range map[[2]string]string{
		{"price-at-most: 300", "price-at-most: 236"}:                  "fast: it costs 237, and at most 236 is allowed",
		{"capacity-at-least: 400GB", "capacity-at-least: 600GB"}:      "light: it holds 500 GB, and at least 600 GB",
		{"hours-at-most: 8", "hours-at-most: 8, price-at-most: 236"}:  "fast: it costs 237, and at most 236 is allowed",
		{"hours-at-most: 8", "hours-at-most: 8, price-at-most: 5000"}: "",
	} {
		r := parse(t, strings.Replace(candidates, change[0], change[1], 1))
		var got []string
		for _, c := range r.Cells() {
			if c.Excluded != "" {
				got = append(got, c.Name+": "+c.Excluded)
			}
		}
		if text := strings.Join(got, "; "); !strings.HasPrefix(text, want) || (want == "") != (text == "") || len(got) > 1 {
			t.Errorf("%s: %q, want %q", change[1], text, want)
		}
	}
}

func TestReviewsThatAreNone(t *testing.T) {
	for _, c := range []struct{ in, out, says string }{
		{"", "", "the document is empty"},
		{"question: Which for the job?\n", "", `"question" is missing`},
		{"largest: rate", "smallest: rate", "rate is better the larger"},
		{"largest: rate", "largest: speed", "unknown figure \"speed\"; there are time"},
		{"of: copy mixed-folder", "of: copy large-file", "nothing that is measured tells the rate"},
		{"of: copy mixed-folder", "of: write random 4KiB, depth 1", "nothing that is measured tells"},
		{"matters: 10%", "matters: 90%", "is not a share from 0.1 % to 50 %"},
		{"sure: 0.9", "sure: 1", "is not a share"},
		{"drive: curlew", "drive: limpet", "limpet is a enclosure"},
		{"drive: curlew", "drive: albatross", `no drive "albatross"`},
		{"drive: curlew, ", "", "names no drive and no volume"},
		{"with: {host: deck-tablet,", "with: {host: deck-tablet, drive: curlew,", "drive is said twice"},
		{"host: deck-tablet", "host: cabin-desk", "has several ports"},
		{"host: deck-tablet", "host: deck-tablet.back", `no port "back"`},
		{"owned: [deck-tablet]", "owned: [dinghy]", `no part "dinghy"`},
		{"    from: sim:turnstone\n", "", "needs the other end"},
		{"for: 1m", "for: never", "is not"},
		{"times: 2", "times: 0", "not a number of times"},
		{"streams: recorders", "streams: gulls", `unknown list of streams "gulls"`},
		{"streams: recorders\n    for: 1m", "plan: quick", "must carry recorders"},
		{"  light: {drive: curlew, enclosure: limpet}\n", "", "nothing to choose between"},
		{"visits-at-most: 4", "visits-at-most: 1", "visits-at-least is 2"},
		{"light:", "li/ght:", "no name of a candidate"},
		{"question:", "compare: {fan: [\"on\", off]}\nquestion:", "one of the two"},
		{"question:", "colour: red\nquestion:", "unknown key \"colour\""},
		{"fan: \"on\"", "Fan: \"on\"", "is not a condition"},
		{"owned: [deck-tablet], ", "", "the price"},
	} {
		source := strings.Replace(candidates, c.in, c.out, 1)
		if c.in == "" {
			source = ""
		}
		b := bench(t)
		if c.says == "the price" {
			b.Parts = slices.Clone(b.Parts)
			for i := range b.Parts {
				b.Parts[i].Price = 0
			}
		}
		_, err := Parse("review.yaml", []byte(source), b)
		if err == nil || !strings.Contains(err.Error(), c.says) || !strings.Contains(err.Error(), "review.yaml:") {
			t.Errorf("%q for %q: %v; want %q", c.out, c.in, err, c.says)
		}
	}
}

func TestFactorsThatAreNone(t *testing.T) {
	for _, c := range []struct{ in, out, says string }{
		{"drive: [sandpiper, dunlin]", "drive: [sandpiper]", "has one level"},
		{"drive: [sandpiper, dunlin]", "drive: [sandpiper, sandpiper]", "twice"},
		{"in: {enclosure: barnacle}", "in: {case: barnacle}", "no factor before it is called case"},
		{"in: {enclosure: barnacle}", "in: {enclosure: whelk}", "has no level whelk"},
		{"given: host", "given: port", `no factor "port"`},
		{"given: host", "given: host\n  over: host", "mentioned twice"},
		{"given: host", "choose: drive", "what is done with host"},
		{"given: host", "over: [host, enclosure, drive, fan]", "none is left to choose"},
		{"amount: 100GB", "amount: 900TB", "less than the"},
		{"  amount: 100GB\n", "", "needs an \"amount\""},
		{"of: write", "of: read", "nothing that is measured"},
	} {
		_, err := Parse("review.yaml", []byte(strings.Replace(cases, c.in, c.out, 1)), bench(t))
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%q: %v; want %q", c.out, err, c.says)
		}
	}
	b := bench(t)
	for i := range b.Parts {
		if b.Parts[i].Kind == book.Drive {
			b.Parts[i].Serial = "SN-1"
		}
	}
	if _, err := Parse("review.yaml", []byte(cases), b); err == nil || !strings.Contains(err.Error(), "same serial SN-1") {
		t.Errorf("two drives of one serial: %v", err)
	}
}

// What was changed in a review is told by its definition, and nothing else is.
func TestDefinitions(t *testing.T) {
	r := parse(t, cases)
	before := r.Definition()
	for change, want := range map[[2]string]string{
		{"Which case for", "What case for"}:             "",
		{"sandpiper, dunlin", "dunlin, sandpiper"}:      "cells",
		{"plan: long-write", "plan: write-consistency"}: "measure",
		{"of: write", "of: write\n  matters: 6%"}:       "decide",
	} {
		source := strings.Replace(cases, change[0], change[1], 1)
		changed, err := Parse("review.yaml", []byte(source), bench(t))
		if err != nil {
			source = strings.Replace(source, "plan: write-consistency", "plan: cool-repeats", 1)
			changed = parse(t, source)
		}
		if got := strings.Join(Changed(before, changed.Definition()), " "); got != want {
			t.Errorf("%q: changed are %q, want %q", change[1], got, want)
		}
	}
	if got := Changed("x", before); len(got) != 3 {
		t.Errorf("of a definition of another form: %v", got)
	}
}

// A field that later programs add, and that a review does not use, leaves its digests as they were. One that it
// uses does not.
func TestDefinitionsOutliveTheirProgram(t *testing.T) {
	for text, want := range map[string]string{
		`{"Key":"fan","In":null,"OneWay":false,"levels":[]}`: `{"Key":"fan","In":null,"OneWay":false}`,
		`{"Plan":{"name":"p","steps":[{"rest":{"later":0,"for_seconds":0}}]},"later":""}`: `{"Plan":{"name":"p",` +
			`"steps":[{"rest":{"for_seconds":0}}]}}`,
		`[{"later":null},{"later":1}]`: `[{},{"later":1}]`,
		`{"a \"b\"":1}`:                `{"a \"b\"":1}`,
		`"<text>"`:                     `"<text>"`,
	} {
		if got := string(canonical([]byte(text))); got != want {
			t.Errorf("%s is %s, want %s", text, got, want)
		}
	}
	for file, want := range map[string]string{ // as the first program with reviews in a shared logbook said them
		"cases": "ef7622e0-3a7499c3-6ecc8cc0", "firmware": "8fecf05f-cb20215c-79c7f791",
		"job": "4ceb0dfe-109e16a3-4bc37196",
	} {
		r, err := Load("../../examples/reviews/"+file+".yaml", bench(t))
		if err != nil {
			t.Fatal(err)
		}
		if r.Definition() != want {
			t.Errorf("%s is defined as %s, and was as %s", file, r.Definition(), want)
		}
	}
}

// Plans and the bench book are looked for beside the review.
func TestFilesBesideTheReview(t *testing.T) {
	folder := t.TempDir()
	for name, source := range map[string]string{
		"own.yaml": "plan: own\nsteps:\n  - sustain: {operation: write, access: sequential, block: 1MiB, depth: " +
			"8, for: 9s}\n",
		"review.yaml": strings.Replace("bench: parts.yaml\n"+cases, "plan: long-write", "plan: own.yaml", 1),
	} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(source), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	file := filepath.Join(folder, "review.yaml")
	r, err := Load(file, bench(t))
	if err != nil || r.Measure[0].Plan.Name != "own" {
		t.Errorf("%v %v", r.Measure, err)
	}
	if got := BenchOf(file); got != filepath.Join(folder, "parts.yaml") {
		t.Errorf("bench %q", got)
	}
}

// The schema's form and the parser know the same keys: a key that is none is answered with
// all that there are.
func TestTheFormHasTheParsersKeys(t *testing.T) {
	for place, form := range map[string]reflect.Type{
		"question":   reflect.TypeFor[Form](),
		"  - plan":   reflect.TypeFor[FormMeasurement](),
		"  smallest": reflect.TypeFor[FormDecision](),
		"  must: {":  reflect.TypeFor[FormMust](),
		"budget: {":  reflect.TypeFor[FormBudget](),
	} {
		source := strings.Replace(cases, "  given: host", "  given: host\n  must: {no-dropout: yes}", 1)
		wrong := "bogus-key: 1\n"
		switch {
		case strings.HasSuffix(place, "{"):
			source = strings.Replace(source, place, place+"bogus-key: 1, ", 1)
		case strings.HasPrefix(place, "  - "):
			source = strings.Replace(source, place, "  - bogus-key: 1\n    plan", 1)
		default:
			indent := place[:len(place)-len(strings.TrimLeft(place, " "))]
			source = strings.Replace(source, place, indent+wrong+place, 1)
		}
		_, err := Parse("review.yaml", []byte(source), bench(t))
		if err == nil || !strings.Contains(err.Error(), "bogus-key") {
			t.Fatalf("%q: %v", place, err)
		}
		_, listed, _ := strings.Cut(err.Error(), "xpected one of ")
		var want []string
		for i := range form.NumField() {
			name, _, _ := strings.Cut(form.Field(i).Tag.Get("json"), ",")
			want = append(want, name)
		}
		got := strings.Split(listed, ", ")
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Errorf("%q: the parser has %v, and the form %v", place, got, want)
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{cases, candidates, "review: a", "compare: {a: {levels: [b, c], in: {a: b}}}"} {
		f.Add([]byte(seed))
	}
	b := bench(f)
	f.Fuzz(func(t *testing.T, source []byte) {
		r, err := Parse("review.yaml", source, b)
		if err != nil {
			return
		}
		if len(r.Cells()) < 2 || r.Definition() == "" {
			t.Errorf("a review of %d cells", len(r.Cells()))
		}
		for _, c := range r.Cells() {
			if c.Storage() == "" || c.Name == "" {
				t.Errorf("cell %+v", c)
			}
		}
	})
}
