// Package kit writes an article as a folder to publish from: every figure as PNG and
// SVG, every table as CSV and Markdown, and the article in Markdown.
//
// A folder is written by one goroutine.
package kit

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

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
	home, err := scratch.In(filepath.Dir(filepath.Clean(folder)))
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, home.Close()) }()
	made, err := home.Name("kit")
	if err != nil {
		return err
	}
	if err := os.Mkdir(made, 0o700); err != nil {
		return err
	}
	w := &writer{folder: made, taken: map[string]bool{}}
	w.article(a)
	w.writeText(ArticleName, func(out io.Writer) error {
		_, err := io.WriteString(out, w.text.String())
		return err
	})
	if w.err != nil {
		return w.err
	}
	if err := os.Chmod(made, 0o755); err != nil {
		return err
	}
	return home.Give(made, folder)
}

// writer is a folder being written, with the text of its article. The first error
// stays.
type writer struct {
	folder string
	text   strings.Builder
	taken  map[string]bool
	err    error
}

func (w *writer) printf(format string, values ...any) { fmt.Fprintf(&w.text, format, values...) }

func (w *writer) article(a article.Article) {
	w.printf("# %s\n\n", table.Markdown(a.Title))
	if a.Author != "" {
		w.printf("By %s. ", table.Markdown(a.Author))
	}
	w.printf("Written %s with opengauge %s.\n\n", a.Written, a.Program)
	if a.Simulated {
		w.printf("**Simulated parts: no real drive was measured where this is marked.**\n\n")
	}
	if a.Note != "" {
		w.printf("%s\n\n", table.Markdown(a.Note))
	}
	for _, section := range a.Sections {
		w.printf("## %s\n\n", table.Markdown(section.Title))
		w.blocks(section.Blocks)
	}
}

func (w *writer) blocks(blocks []article.Block) {
	for _, block := range blocks {
		switch {
		case block.Heading != "":
			w.printf("### %s\n\n", table.Markdown(block.Heading))
		case block.Text != "":
			w.printf("%s\n\n", table.Markdown(block.Text))
		case block.Figure != nil:
			w.figure(*block.Figure)
		case block.Table != nil:
			w.table(*block.Table)
		case block.Finding != nil:
			w.finding(*block.Finding)
		case block.Photo != nil:
			w.photo(block.Photo)
		}
		w.lists(block)
		for _, card := range block.Cards {
			w.card(card)
		}
	}
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

func (w *writer) card(card article.Card) {
	title := card.Title
	if card.Simulated {
		title += " (simulated)"
	}
	w.printf("### %s\n\n", table.Markdown(title))
	w.blocks(card.Blocks)
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

// figure draws a figure in both formats and refers to it.
func (w *writer) figure(f article.Shown) {
	head := f.Head()
	if f.Caption != "" {
		w.printf("%s\n\n", table.Markdown(f.Caption))
	} else {
		w.printf("### %s\n\n%s\n\n", table.Markdown(head.Title), table.Markdown(head.Subtitle))
	}
	name := "figure-" + f.Kind.Name
	if head.ID != f.Kind.Name { // one of several
		name += "-" + head.Title
	}
	name = w.free(name)
	for _, format := range []image.Format{image.PNG, image.SVG} {
		w.write(name+string(format), func(out io.Writer) error { return image.Write(out, format, f.Figure) })
	}
	w.printf("![%s](%s%s)\n\n", table.Markdown(f.Summary()), name, image.PNG)
}

// table writes a table in both formats, and into the article unless it is long.
func (w *writer) table(t article.Tabled) {
	name := w.free("table-" + t.Name)
	w.writeText(name+".csv", t.CSV)
	w.writeText(name+".md", t.Markdown)
	if t.Long {
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
