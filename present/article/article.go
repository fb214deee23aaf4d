// Package article holds what a report says, in the order in which a reader wants it,
// independent of how it is written: a list of sections, each a list of blocks. The
// page and the article kit are made from it.
//
// It only reads what it is given, and its functions may be called by several
// goroutines at once.
package article

import (
	"time"

	"opengauge/core/judge/compare"
	"opengauge/core/record/session"
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
	// Program is the version of the program that writes it.
	Program string
	Written time.Time
}

// Article is a report, ready to be written.
type Article struct {
	Title, Author, Note, Program, Written string
	Simulated                             bool
	Sections                              []Section
}

// Section is one part of an article.
type Section struct {
	ID string
	// Short stands in the list of contents, and Title over the section.
	Short, Title string
	Blocks       []Block
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
	// Cards are groups of blocks that stand beside each other.
	Cards []Card
}

// Card is a group of blocks under a title.
type Card struct {
	Title     string
	Simulated bool
	Blocks    []Block
}

// Point is one of a list, with the words that it begins with.
type Point struct{ Lead, Text string }

// Shown is a figure with the kind that it is of.
type Shown struct {
	figure.Figure
	Kind figure.Form
	// Caption stands over it; empty is its own title and subtitle.
	Caption string
}

// Tabled is a table with its name, a label for those who do not see what it is near
// to, and the line that it is folded behind, if it is.
type Tabled struct {
	table.Table
	Name, Label, Fold string
	// Long tables are for checking, and no part of a text that is read through.
	Long bool
}

// New makes the article of a report.
func New(r Report) Article {
	a := Article{
		Title: r.Title, Author: r.Author, Note: r.Note, Program: r.Program,
		Written: r.Written.Format("2006-01-02 15:04 MST"),
	}
	for _, s := range r.Sessions {
		a.Simulated = a.Simulated || s.Simulated
	}
	for _, make := range sections() {
		if section := make(r); len(section.Blocks) > 0 {
			a.Sections = append(a.Sections, section)
		}
	}
	return a
}

// sections are what an article is made of, in order: each kind of figure that does
// not stand within another one has a section of its own.
func sections() []func(Report) Section {
	order := []func(Report) Section{tested, verdict, notes, comparison}
	for _, kind := range figure.Forms {
		switch {
		case kind.Within:
		case kind.Name == "moves":
			order = append(order, howLong(kind))
		default:
			order = append(order, figuresOf(kind))
		}
	}
	return append(order, money, elsewhere, method, findings)
}

// figuresOf is the section of a kind of figure.
func figuresOf(kind figure.Form) func(Report) Section {
	return func(r Report) Section {
		section := Section{ID: kind.Section, Short: kind.Title, Title: kind.Title}
		for _, f := range kind.Of(r.Subject) {
			section.Blocks = append(section.Blocks, shown(kind, f, "")...)
		}
		return section
	}
}

// shown is a figure with the table behind it.
func shown(kind figure.Form, f figure.Figure, caption string) []Block {
	blocks := []Block{{Figure: &Shown{f, kind, caption}}}
	if t := f.Table(); len(t.Rows) > 0 {
		title := f.Head().Title
		blocks = append(blocks, Block{Table: &Tabled{t, kind.Name + "-" + title, kind.Fold + ": " + title, kind.Fold,
			kind.OverTime}})
	}
	return blocks
}

// tabled is a table in the open, or no block where it has no rows.
func tabled(name, label string, t table.Table) []Block {
	if len(t.Rows) == 0 {
		return nil
	}
	return []Block{{Table: &Tabled{t, name, label, "", false}}}
}

// Figures are all figures of an article, those on cards too.
func (a Article) Figures() []Shown {
	var all []Shown
	for _, section := range a.Sections {
		all = append(all, figuresIn(section.Blocks)...)
	}
	return all
}

func figuresIn(blocks []Block) []Shown {
	var all []Shown
	for _, block := range blocks {
		if block.Figure != nil {
			all = append(all, *block.Figure)
		}
		for _, card := range block.Cards {
			all = append(all, figuresIn(card.Blocks)...)
		}
	}
	return all
}
