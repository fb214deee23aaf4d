// Package review holds reviews: a question about parts, the combinations of them that answer it, the
// measurements of each, and how it is decided. It reads review.yaml and reports contradictions. The order of
// visits, their sessions and the answer are in the packages below it.
//
// Reviews are values: once read they are only looked at, and may be shared by goroutines.
package review

import (
	"fmt"
	"path/filepath"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/document"
	"opengauge/core/input"
	"opengauge/core/load"
	"opengauge/core/record/session"
)

// Review is a question, and the experiment that answers it.
type Review struct {
	Name     string
	Question string
	// Bench is the bench book that the file names, or empty.
	Bench string
	// Factors are the factors that are compared, or Candidates the bundles.
	Factors    []Factor
	Candidates []Candidate
	// With are the levels that all cells have.
	With    []Level
	Measure []Measurement
	Decide  Decision
	Budget  Budget
	// Source is the file as it was read, and Files are those that it names, as it names them.
	Source []byte
	Files  []string

	cells      []Cell
	never      []Impossible
	definition string
}

// Level is one setting of a factor: enclosure=barnacle.
type Level struct {
	Factor string `json:"factor"`
	Name   string `json:"level"`
}

// Factor is something in which combinations differ, with its levels.
type Factor struct {
	Key    string
	Levels []string
	// In is in which levels of other factors this one has levels at all: a fan in its case.
	In []Level
	// OneWay says that there is no way back: a firmware, wear, how full it is.
	OneWay bool
}

// Candidate is a named bundle of parts and conditions.
type Candidate struct {
	Name   string
	Levels []Level
}

// Load reads a review from a file. A bench book that it names is looked for beside it.
func Load(file string, bench book.Book) (Review, error) {
	source, err := input.ReadFile(file, input.Text)
	if err != nil {
		return Review{}, fmt.Errorf("could not read the review: %w", err)
	}
	return Parse(file, source, bench)
}

// BenchOf says which bench book a review's file names, as a path, or nothing.
func BenchOf(file string) string {
	source, err := input.ReadFile(file, input.Text)
	if err != nil {
		return ""
	}
	root, err := document.Parse(file, source)
	if err != nil {
		return ""
	}
	entries, _ := root.Entries()
	for _, entry := range entries {
		if entry.Key != "bench" {
			continue
		}
		named, err := entry.Value.Text()
		if err != nil || named == "" {
			return ""
		}
		if filepath.IsAbs(named) {
			return named
		}
		return filepath.Join(filepath.Dir(file), named)
	}
	return ""
}

// Parse reads a review written in YAML, about parts of a bench book. Errors name file, line and column, and
// the expected value.
func Parse(file string, source []byte, bench book.Book) (Review, error) {
	root, err := document.Parse(file, source)
	if err != nil {
		return Review{}, err
	}
	r := Review{Source: source, Decide: usualDecision, Budget: usualBudget}
	place := places{folder: filepath.Dir(file)}
	given, err := root.Read(
		document.Name("review", &r.Name),
		document.Name("question", &r.Question),
		document.Text("bench", &r.Bench),
		document.Entries("compare", r.addFactor),
		document.Entries("candidates", r.addCandidate),
		document.Entries("with", func(e document.Entry) error { return addLevel(&r.With, e) }),
		document.Each("measure", func(n document.Node) error { return r.addMeasurement(n, &place) }).Needed(
			`a review needs "measure": plans, copies or streams`),
		document.With("decide", func(n document.Node) error { return r.Decide.read(n, &place) }).Needed(
			`a review needs "decide": the smallest or largest of what`),
		document.With("budget", r.Budget.read),
	)
	if err != nil {
		return Review{}, err
	}
	if err := session.CheckName(r.Name); err != nil {
		return Review{}, root.Errorf("review: %s", err)
	}
	if given.Count("compare", "candidates") != 1 {
		return Review{}, root.Errorf(`a review has "compare", factors with their levels, or "candidates", named bundles; ` +
			"one of the two")
	}
	if err := r.check(bench); err != nil {
		return Review{}, root.Errorf("%s", err)
	}
	if r.Files = place.files; r.Bench != "" {
		r.Files = append(r.Files, r.Bench)
	}
	r.definition = r.define()
	return r, nil
}

// reserved are words that no level may hold: names of cells are made of levels.
const reserved = "/,;=\"' \t\n"

func addLevel(levels *[]Level, e document.Entry) error {
	value, err := e.Value.Text()
	if err == nil && (value == "" || strings.ContainsAny(value, reserved)) {
		err = e.Value.Errorf("%q is no level: it may not be empty, nor hold a space or one of / , ; = and quotes", value)
	}
	if err == nil && (e.Key == "" || strings.ContainsAny(e.Key, reserved)) {
		err = e.KeyNode.Errorf("%q is no factor: it may not be empty, nor hold a space or one of / , ; = and quotes", e.Key)
	}
	*levels = append(*levels, Level{e.Key, value})
	return err
}

func (r *Review) addFactor(e document.Entry) error {
	f := Factor{Key: e.Key}
	addLevels := func(n document.Node) error {
		for _, element := range n.List() {
			var one []Level
			if err := addLevel(&one, document.Entry{Key: e.Key, KeyNode: e.KeyNode, Value: element}); err != nil {
				return err
			}
			for _, before := range f.Levels {
				if before == one[0].Name {
					return element.Errorf("%s stands in this list twice", before)
				}
			}
			f.Levels = append(f.Levels, one[0].Name)
		}
		return nil
	}
	if _, err := e.Value.Entries(); err != nil {
		if err := addLevels(e.Value); err != nil {
			return err
		}
	} else if _, err := e.Read(
		document.With("levels", addLevels).Needed(fmt.Sprintf("the factor %s needs \"levels\"", e.Key)),
		document.Entries("in", func(in document.Entry) error { return addLevel(&f.In, in) }),
		document.Into("one-way", &f.OneWay, load.ParseYesNo),
	); err != nil {
		return err
	}
	if len(f.Levels) < 2 {
		return e.KeyNode.Errorf("the factor %s has one level; what is the same for all belongs under \"with\"", e.Key)
	}
	r.Factors = append(r.Factors, f)
	return nil
}

func (r *Review) addCandidate(e document.Entry) error {
	c := Candidate{Name: e.Key}
	if c.Name == "" || strings.ContainsAny(c.Name, reserved) {
		return e.KeyNode.Errorf("%q is no name of a candidate: it may not be empty, nor hold a space or one of / , ; = "+
			"and quotes", c.Name)
	}
	entries, err := e.Value.Entries()
	if err != nil {
		return err
	}
	for _, each := range entries {
		if err := addLevel(&c.Levels, each); err != nil {
			return err
		}
	}
	r.Candidates = append(r.Candidates, c)
	return nil
}

// Cells are the combinations that can be, in the order of the factors' levels.
func (r *Review) Cells() []Cell { return r.cells }

// Impossible are the combinations that cannot be, and why.
func (r *Review) Impossible() []Impossible { return r.never }

// Cell is the cell of a name.
func (r *Review) Cell(name string) (Cell, bool) {
	for _, c := range r.cells {
		if c.Name == name {
			return c, true
		}
	}
	return Cell{}, false
}

// OneWay is the factor without a way back, if there is one.
func (r *Review) OneWay() (Factor, bool) {
	for _, f := range r.Factors {
		if f.OneWay {
			return f, true
		}
	}
	return Factor{}, false
}
