package review

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/load"
	"opengauge/core/load/fileset"
	"opengauge/core/unit"
)

// Figure is a kind of figure that a review may decide by.
type Figure struct {
	Name string
	// Says names the figure, and Unit the unit in which it is shown.
	Says, Unit string
	// Larger says that more of it is better.
	Larger bool
	// Amount and Priced say that it needs an amount of data, or a price.
	Amount, Priced bool
	// ofAll says that it is known of all of a session too. It is no part of a review's
	// definition.
	ofAll bool
	// Copies says that it is known of copies too.
	Copies bool
}

// Figures are all of them. How each is read of a session is registered in reading.
var Figures = []Figure{
	{Name: "time", Says: "how long an amount takes, or a copy", Unit: "s", Amount: true, Copies: true},
	{Name: "rate", Says: "throughput of a load, or of a copy", Unit: "B/s", Larger: true, Copies: true},
	{Name: "iops", Says: "operations a second of a load", Unit: "a second", Larger: true},
	{Name: "latency", Says: "99th percentile of the latency of a load", Unit: "s"},
	{Name: "watts", Says: "mean power while it is measured", Unit: "W", ofAll: true},
	{Name: "energy", Says: "energy to move 1 GB", Unit: "J/GB", ofAll: true},
	{Name: "idle-watts", Says: "power while the storage is let be, in a rest", Unit: "W", ofAll: true},
	{Name: "price-for-rate", Says: "price for each MB/s of a load", Unit: "a MB/s", Priced: true, Copies: true},
	{Name: "price-for-iops", Says: "price for a thousand operations a second of a load", Unit: "for 1000 a second",
		Priced: true},
}

// FindFigure gives the kind of figure of a name.
func FindFigure(name string) (Figure, error) {
	var names []string
	for _, f := range Figures {
		if f.Name == name {
			return f, nil
		}
		names = append(names, f.Name)
	}
	return Figure{}, fmt.Errorf("unknown figure %q; there are %s", name, strings.Join(names, ", "))
}

// Subject is the subject of the figure: a load, everything that is read or written, or copies of a set.
type Subject struct {
	// Text is as the review says it.
	Text string
	// Load is nil where only the operation is said, or copies are meant.
	Load      *load.Load
	Operation load.Operation
	Copy      string
}

const copyWord = "copy "

func parseSubject(text string) (Subject, error) {
	s := Subject{Text: text}
	if set, is := strings.CutPrefix(text, copyWord); is {
		s.Copy = strings.TrimSpace(set)
		_, err := fileset.New(s.Copy, unit.GiB, 1)
		return s, err
	}
	if text == string(load.Read) || text == string(load.Write) {
		s.Operation = load.Operation(text)
		return s, nil
	}
	l, err := load.Parse(text)
	if err != nil {
		return s, fmt.Errorf("%q is neither read, write, a load like \"write sequential 1MiB, depth 8\", nor \"copy SET\": "+
			"%w", text, err)
	}
	l = l.Identity()
	s.Load, s.Operation = &l, l.Operation
	return s, nil
}

// Matches reports whether a load is the figure's subject. Where only the operation is given it is a load that
// moves data as large files are moved.
func (s *Subject) Matches(l load.Load) bool {
	l = l.Identity()
	if s.Load == nil {
		return s.Operation == l.Operation && l.Bulk()
	}
	same := *s.Load
	same.Sustained = l.Sustained
	return same == l
}

// MeasuredBy reports whether a measurement tells of it.
func (s *Subject) MeasuredBy(m *Measurement) bool {
	if s.Copy != "" {
		return m.Copy == s.Copy
	}
	return slices.ContainsFunc(m.loads(), s.Matches)
}
