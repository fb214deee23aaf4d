// Package kit writes an article as a folder to publish from: every figure that is in the
// open as PNG in two sizes, light and dark, and as SVG, with captions and alternative texts;
// every table as CSV; and the article in Markdown, in the order of the page.
//
// A folder is written by one goroutine.
package kit

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"

	"golang.org/x/sync/errgroup"

	"opengauge/core/record/session"
	"opengauge/core/storage/scratch"
	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/image"
	"opengauge/present/table"
	"opengauge/present/text"
)

// ArticleName is the file of a kit that is read first.
const ArticleName = "article.md"

// ErrThere says that the folder to be made is there already.
var ErrThere = errors.New("is there already; name a new folder")

// Write writes an article with its figures and tables into a new folder, whole or
// not at all.
func Write(folder string, a article.Article) (err error) {
	if _, err := os.Lstat(folder); err == nil {
		return fmt.Errorf("%s %w", folder, ErrThere)
	}
	defer func() {
		if err != nil {
			err = fmt.Errorf("could not write the kit %s: %w", folder, err)
		}
	}()
	out, err := scratch.NewOutput(folder, "kit", nil)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, out.Close()) }()
	if err := out.Mkdir(); err != nil {
		return err
	}
	w := &writer{folder: out.Path(), taken: map[string]bool{}}
	w.article(a)
	w.draw()
	w.writeCaptions()
	w.writeText(ArticleName, func(out io.Writer) error {
		_, err := io.WriteString(out, w.text.String())
		return err
	})
	if w.err != nil {
		return w.err
	}
	if err := out.Publish(); err != nil {
		return err
	}
	return out.Finish()
}

// writer is a folder being written, with the text of its article. The first error
// stays.
type writer struct {
	folder string
	text   strings.Builder
	taken  map[string]bool
	// figures are drawn once the text is there, and captions are told of each.
	figures  []drawing
	captions [][]string
	// folded means that tables are written and no figures, for sections that are there for checking.
	folded bool
	err    error
}

// drawing is a figure that is to be drawn into files of a name.
type drawing struct {
	figure.Figure
	name string
}

func (w *writer) printf(format string, values ...any) {
	if !w.folded {
		fmt.Fprintf(&w.text, format, values...)
	}
}

// article writes it in the order of the page.
func (w *writer) article(a article.Article) {
	w.printf("# %s\n\n", table.Markdown(a.Title))
	if a.Author != "" {
		w.printf("By %s. ", table.Markdown(a.Author))
	}
	w.printf("Written %s with opengauge %s.\n\n", a.Written, a.Program)
	if a.Simulated {
		w.printf("**Simulated parts: no real drive was measured where this is marked.**\n\n")
	}
	w.printf("**%s**\n\n", table.Markdown(a.Lead.Answer))
	for _, sentence := range a.Lead.Besides {
		w.printf("- %s\n", table.Markdown(sentence))
	}
	w.printf("\n")
	if a.Lead.Figure != nil {
		w.figure(*a.Lead.Figure)
	}
	w.printf("Tested: %s\n\n", table.Markdown(a.Lead.Tested))
	if a.Note != "" {
		w.printf("%s\n\n", table.Markdown(a.Note))
	}
	for _, section := range a.Sections {
		w.printf("## %s\n\n", table.Markdown(section.Title))
		w.blocks(section.Blocks)
	}
	for _, fold := range a.Folds {
		w.fold(fold)
	}
}

func (w *writer) blocks(blocks []article.Block) {
	for _, block := range blocks {
		switch {
		case block.Heading != "":
			w.printf("### %s\n\n", table.Markdown(block.Heading))
		case block.Text != "":
			w.printf("%s\n\n", table.Markdown(block.Text))
		case block.Figure != nil && !w.folded:
			w.figure(*block.Figure)
		case block.Table != nil:
			w.table(*block.Table)
		case block.Finding != nil:
			w.finding(*block.Finding)
		case block.Photo != nil:
			w.photo(block.Photo)
		case block.Fold != nil:
			w.fold(*block.Fold)
		}
		w.lists(block)
	}
}

// fold writes the tables behind a fold; those that matter are a part of the text.
func (w *writer) fold(f article.Fold) {
	before := w.folded
	w.folded = before || !f.Matters
	w.printf("### %s\n\n", table.Markdown(f.Title))
	w.blocks(f.Blocks)
	w.folded = before
}

func (w *writer) lists(block article.Block) {
	for _, point := range block.Points {
		w.printf("- %s: %s\n", table.Markdown(point.Lead), table.Markdown(point.Text))
	}
	for _, sentence := range block.Verdicts {
		w.printf("- %s\n", table.Markdown(sentence))
	}
	if len(block.Points)+len(block.Verdicts) > 0 {
		w.printf("\n")
	}
}

// photo writes the picture of a note beside the article.
func (w *writer) photo(p *session.Photo) {
	name := w.free("photo-"+strings.TrimSuffix(p.Name, filepath.Ext(p.Name))) + p.Ending()
	w.write(name, func(out io.Writer) error {
		_, err := out.Write(p.Data)
		return err
	})
	w.printf("![%s](%s)\n\n", table.Markdown(p.Name), name)
}

func (w *writer) finding(f session.Finding) {
	w.printf("- %s **%s, %s** (probability %.0f %%): %s %s\n\n", figure.SeverityMark(string(f.Severity)), f.Severity,
		f.Kind,
		f.Confidence*100, table.Markdown(f.Summary), table.Markdown(f.Advice))
}

// figure refers to a figure, under its message, and notes its caption and its alternative
// text.
func (w *writer) figure(f article.Shown) {
	message, below := f.Head().Lines()
	name := w.free(fmt.Sprintf("figure-%d-%s", len(w.figures)+1, f.Kind))
	w.printf("![%s](%s%s)\n\n*%s.* %s\n\n", table.Markdown(f.Summary()), name, image.PNG,
		table.Markdown(strings.TrimSuffix(message, ".")), table.Markdown(below))
	w.figures = append(w.figures, drawing{f.Figure, name})
	w.captions = append(w.captions, []string{name, message, below, f.Summary()})
}

// Sheets are the sizes and papers in which each figure is drawn, by the suffix of its file.
var Sheets = map[string]image.Sheet{
	"":            image.Plain,
	"-dark":       {Width: image.Plain.Width, Height: image.Plain.Height, Scale: 1, Dark: true},
	"-large":      image.Large,
	"-large-dark": {Width: image.Large.Width, Height: image.Large.Height, Scale: image.Large.Scale, Dark: true},
}

// draw draws all figures, several at once.
func (w *writer) draw() {
	var all errgroup.Group
	all.SetLimit(runtime.GOMAXPROCS(0))
	for _, f := range w.figures {
		for behind, sheet := range Sheets {
			all.Go(func() error { return w.file(f.name+behind+string(image.PNG), sheet, image.PNG, f) })
		}
		all.Go(func() error { return w.file(f.name+string(image.SVG), image.Plain, image.SVG, f) })
	}
	if err := all.Wait(); err != nil && w.err == nil {
		w.err = err
	}
}

func (w *writer) file(name string, sheet image.Sheet, format image.Format, f figure.Figure) error {
	file, err := os.OpenFile(filepath.Join(w.folder, name), os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return err
	}
	return errors.Join(sheet.Write(file, format, f), file.Close())
}

// CaptionsName is the file with the captions and the alternative texts of the figures.
const CaptionsName = "figures.csv"

func (w *writer) writeCaptions() {
	t := table.Table{Columns: []table.Column{table.Text("file"), table.Text("message"), table.Text("caption"),
		table.Text("alternative text")}, Rows: w.captions}
	w.writeText(CaptionsName, t.CSV)
}

// table writes a table as CSV and, unless it is there for checking, into the article.
func (w *writer) table(t article.Tabled) {
	w.writeText(w.free("table-"+t.Name)+".csv", t.CSV)
	if w.folded {
		return
	}
	if err := t.Markdown(&w.text); err != nil && w.err == nil {
		w.err = err
	}
	w.printf("\n")
}

// write writes a file of the kit, unless one failed before.
func (w *writer) write(name string, fill func(io.Writer) error) {
	if w.err != nil {
		return
	}
	file, err := os.OpenFile(filepath.Join(w.folder, name), os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		w.err = err
		return
	}
	w.err = errors.Join(fill(file), file.Close())
}

// writeText writes a file of text, in which nothing acts on whoever shows it.
func (w *writer) writeText(name string, fill func(io.Writer) error) {
	w.write(name, func(out io.Writer) error {
		var content strings.Builder
		if err := fill(&content); err != nil {
			return err
		}
		_, err := io.WriteString(out, text.Clean(content.String()))
		return err
	})
}

// free makes a file's name of a text: letters, digits and hyphens, and no other one's.
func (w *writer) free(text string) string {
	const longest = 60
	var name strings.Builder
	for _, r := range strings.ToLower(text) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			name.WriteRune(r)
		case name.Len() > 0 && !strings.HasSuffix(name.String(), "-"):
			name.WriteByte('-')
		}
	}
	base := strings.Trim(name.String()[:min(name.Len(), longest)], "-")
	made := base
	for number := 2; w.taken[made]; number++ {
		made = fmt.Sprintf("%s-%d", base, number)
	}
	w.taken[made] = true
	return made
}
