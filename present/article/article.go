// Package article holds what a report says, in the order in which a reader wants it,
// independent of how it is written: an answer with the one figure that shows it, sections
// in the open, and all that is for checking behind folds. The page and the article kit are
// made from it.
//
// It only reads what it is given, and its functions may be called by several
// goroutines at once.
package article

import (
	"cmp"
	"time"

	"opengauge/core/judge/compare"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/answer"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// Report is what a report is made of.
type Report struct {
	Title, Author, Note string
	figure.Subject
	// Amounts are those that a reader asked the times of.
	Amounts []unit.Bytes
	// Quoted are figures that others published of the same parts.
	Quoted []compare.Quoted
	// Review is what the sessions were measured for, or nil.
	Review *Reviewed
	// Program is the version of the program that writes it.
	Program string
	Written time.Time
}

// Reviewed is a review with what it answers.
type Reviewed struct {
	Review    *review.Review
	State     *reading.State
	Answer    *answer.Answer
	Standings []answer.Standing
}

// Article is a report, ready to be written.
type Article struct {
	Title, Author, Note, Program, Written string
	Simulated                             bool
	Lead                                  Lead
	// Sections are in the open, and Folds behind a line each.
	Sections []Section
	Folds    []Fold
	// Sessions are what it is about, for readers who check and go on.
	Sessions []*session.Session
}

// Lead is what a reader sees first: the answer, the figure that shows it, and what was
// tested, in a line.
type Lead struct {
	Answer string
	// Besides are further sentences, one each.
	Besides []string
	Figure  *Shown
	Tested  string
}

// Section is one part of an article. Its title is the question that it answers.
type Section struct {
	ID string
	// Short stands in the list of contents, and Title over the section.
	Short, Title string
	Blocks       []Block
}

// Fold is a part that is there for checking. Those that matter are open on paper.
type Fold struct {
	Title   string
	Blocks  []Block
	Matters bool
}

// Block is one thing in a section. One of its fields is set.
type Block struct {
	Heading string
	Text    string
	// Points are a list, and Verdicts one of sentences that weigh.
	Points   []Point
	Verdicts []string
	Figure   *Shown
	Table    *Tabled
	Finding  *session.Finding
	Photo    *session.Photo
	Fold     *Fold
}

// Point is one of a list, with the words that it begins with.
type Point struct{ Lead, Text string }

// Shown is a figure with the name of its kind.
type Shown struct {
	figure.Figure
	Kind string
	// Small ones stand beside each other.
	Small bool
}

// Tabled is a table with its name, and a label for those who do not see what it is near to.
type Tabled struct {
	table.Table
	Name, Label string
	// Long says that nobody looks for words in it.
	Long bool
}

// New makes the article of a report.
func New(r Report) Article {
	a := Article{
		Title: r.Title, Author: r.Author, Note: r.Note, Program: r.Program,
		Written: r.Written.Format("2006-01-02 15:04 MST"), Sessions: r.Sessions,
	}
	for _, s := range r.Sessions {
		a.Simulated = a.Simulated || s.Simulated
	}
	var shown map[string]bool
	a.Lead, shown = leadOf(r)
	for _, make := range sections(r, shown) {
		if section := make(r); len(section.Blocks) > 0 {
			a.Sections = append(a.Sections, section)
		}
	}
	a.Folds = folds(r)
	return a
}

// sections are what an article is made of, in order. Figures that the lead shows are not
// shown again.
func sections(r Report, shown map[string]bool) []func(Report) Section {
	var order []func(Report) Section
	if r.Review != nil {
		order = append(order, reasons)
	}
	order = append(order, limits(shown), comparison(shown))
	for _, kind := range figure.Forms {
		if !kind.Within {
			order = append(order, figuresOf(kind, shown))
		}
	}
	return append(order, money, watch, notes, elsewhere, tested)
}

// mostFigures of a kind stand in the open; the rest is behind a fold.
const mostFigures = 2

// figuresOf is the section of a kind of figure: those that show several sessions, or else
// those of the only one.
func figuresOf(kind figure.Form, shown map[string]bool) func(Report) Section {
	return func(r Report) Section {
		section := Section{ID: kind.Section, Short: kind.Title, Title: cmp.Or(kind.Question, kind.Title)}
		if !kind.Together && len(r.Sessions) > 1 && !kind.Few {
			return section
		}
		if kind.Name == "moves" && r.Review == nil {
			section.Blocks = howLong(r)
		}
		var rest []Block
		for i, f := range kind.Of(r.Subject) {
			switch {
			case shown[f.Head().ID]:
			case i < mostFigures:
				section.Blocks = append(section.Blocks, withTable(kind, f)...)
			default:
				rest = append(rest, withTable(kind, f)...)
			}
		}
		if len(rest) > 0 {
			section.Blocks = append(section.Blocks, folded("More of this kind", rest...))
		}
		return section
	}
}

// withTable is a figure with the table behind it, folded.
func withTable(kind figure.Form, f figure.Figure) []Block {
	blocks := []Block{{Figure: &Shown{Figure: f, Kind: kind.Name}}}
	if t := f.Table(); len(t.Rows) > 0 {
		title := f.Head().Title
		blocks = append(blocks, folded(kind.Fold,
			Block{Table: &Tabled{t, kind.Name + "-" + title, kind.Fold + ": " + title, kind.OverTime}}))
	}
	return blocks
}

func folded(title string, blocks ...Block) Block {
	return Block{Fold: &Fold{Title: title, Blocks: blocks}}
}

// tabled is a table in the open, or no block where it has no rows.
func tabled(name, label string, t table.Table) []Block {
	if len(t.Rows) == 0 {
		return nil
	}
	return []Block{{Table: &Tabled{t, name, label, false}}}
}

// foldedTable is a table behind its label, or no block where it has no rows.
func foldedTable(name, label string, t table.Table) []Block {
	blocks := tabled(name, label, t)
	if len(blocks) == 0 {
		return nil
	}
	return []Block{folded(label, blocks...)}
}
