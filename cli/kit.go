package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/image"
	"opengauge/present/table"
)

// articleName is the file of a kit that is read first.
const articleName = "article.md"

// writeKit writes an article with its figures and tables into a new folder, whole or
// not at all.
func writeKit(folder string, a article.Article) (err error) {
	if _, err := os.Lstat(folder); err == nil {
		return usageError{fmt.Errorf("--kit: %s is there already; name a new folder", folder)}
	}
	made, err := os.MkdirTemp(filepath.Dir(filepath.Clean(folder)), ".opengauge-kit-")
	if err != nil {
		return fmt.Errorf("could not write the kit %s: %w", folder, err)
	}
	defer func() {
		if err != nil {
			err = errors.Join(fmt.Errorf("could not write the kit %s: %w", folder, err), os.RemoveAll(made))
		}
	}()
	k := &kit{folder: made, taken: map[string]bool{}}
	k.article(a)
	if k.err != nil {
		return k.err
	}
	if err := writeFile(filepath.Join(made, articleName), func(w io.Writer) error {
		_, err := io.WriteString(w, k.text.String())
		return err
	}); err != nil {
		return err
	}
	if err := os.Chmod(made, 0o755); err != nil {
		return err
	}
	return os.Rename(made, folder)
}

// kit is a folder being written, with the text of its article. The first error
// stays.
type kit struct {
	folder string
	text   strings.Builder
	taken  map[string]bool
	err    error
}

func (k *kit) printf(format string, arguments ...any) { fmt.Fprintf(&k.text, format, arguments...) }

func (k *kit) article(a article.Article) {
	k.printf("# %s\n\n", table.Markdown(a.Title))
	if a.Author != "" {
		k.printf("By %s. ", table.Markdown(a.Author))
	}
	k.printf("Written %s with opengauge %s.\n\n", a.Written, a.Program)
	if a.Simulated {
		k.printf("**Simulated parts: no real drive was measured where this is marked.**\n\n")
	}
	if a.Note != "" {
		k.printf("%s\n\n", table.Markdown(a.Note))
	}
	k.printf("## What was tested, and how it was connected\n\n")
	for _, tested := range a.Tested {
		k.printf("### %s\n\n%s\n\n", table.Markdown(tested.Title), table.Markdown(tested.Target))
		for _, session := range tested.Sessions {
			k.printf("- %s: %s\n", table.Markdown(session.Name), table.Markdown(session.Text))
		}
		k.printf("\n")
		if strip := tested.Strip; strip != nil {
			k.figure("chain-"+tested.Title, strip.Summary(), func(w io.Writer, f image.Format) error { return image.ChainStrip(w, f, *strip) })
			k.table("hops-"+tested.Title, tested.Hops)
		}
	}
	k.printf("## Verdict\n\n")
	k.list(a.Verdicts)
	k.comparison(a.Comparison)
	k.shapes(a)
	k.money(a.Money)
	k.method(a)
	k.findings(a)
}

func (k *kit) list(sentences []string) {
	for _, sentence := range sentences {
		k.printf("- %s\n", table.Markdown(sentence))
	}
	k.printf("\n")
}

func (k *kit) comparison(c *article.Comparison) {
	if c == nil {
		return
	}
	k.printf("## Side by side\n\n")
	k.bars("comparison", c.Bars)
	k.table("comparison", c.Table)
	if len(c.Differences.Rows) > 0 {
		k.printf("What differs between them:\n\n")
		k.table("differences", c.Differences)
	}
	for _, finding := range c.Findings {
		k.printf("%s **%s**, %s. %s\n\n", figure.SeverityMark(string(finding.Severity)), finding.Kind, table.Markdown(finding.Summary), table.Markdown(finding.Advice))
	}
}

func (k *kit) shapes(a article.Article) {
	for _, m := range a.Matrices {
		k.heading("Copies", m.Title, m.Subtitle)
		k.figure("copies-"+m.Title, m.Summary(), func(w io.Writer, f image.Format) error { return image.CopyMatrix(w, f, m) })
	}
	for _, m := range a.Maps {
		k.heading("Depth map", m.Title, m.Subtitle)
		k.figure("depth-map-"+m.Title, m.Title, func(w io.Writer, f image.Format) error { return image.DepthMap(w, f, m) })
		k.table("depth-map-"+m.Title, table.DepthMap(m))
	}
	for _, trace := range a.Traces {
		k.heading("Heat trace", trace.Title, trace.Subtitle)
		k.figure("heat-trace-"+trace.Title, trace.Describe(), func(w io.Writer, f image.Format) error { return image.HeatTrace(w, f, trace.HeatTrace) })
		k.tableFiles("heat-trace-"+trace.Title, table.Trace(trace.HeatTrace))
	}
	for _, ladder := range a.Ladders {
		k.heading("Fill ladder", ladder.Title, ladder.Subtitle)
		k.figure("fill-ladder-"+ladder.Title, ladder.Summary(), func(w io.Writer, f image.Format) error { return image.FillLadder(w, f, ladder) })
		k.table("fill-ladder-"+ladder.Title, table.FillLadder(ladder))
	}
}

func (k *kit) heading(kind, title, subtitle string) {
	k.printf("## %s: %s\n\n%s\n\n", kind, table.Markdown(title), table.Markdown(subtitle))
}

func (k *kit) money(m *article.Money) {
	if m == nil {
		return
	}
	k.printf("## Money\n\n")
	k.bars("money", m.Bars)
	k.list(m.Steps)
	k.table("money", m.Table)
}

func (k *kit) method(a article.Article) {
	k.printf("## Conditions and method\n\n")
	for _, method := range a.Methods {
		k.printf("### %s\n\nPlan %s. %s\n\n", table.Markdown(method.Name), table.Markdown(method.Plan), table.Markdown(method.About))
		for _, each := range []struct {
			name  string
			table table.Table
		}{
			{"passes", method.Passes}, {"repeats", method.Repeats}, {"copies", method.Copies}, {"starts", method.Starts}, {"at-once", method.Contentions}, {"shares", method.Shares},
		} {
			if len(each.table.Rows) > 0 {
				k.table(each.name+"-"+method.Name, each.table)
			}
		}
		k.table("circumstances-"+method.Name, method.Circumstances)
		k.tableFiles("plan-"+method.Name, method.Steps)
	}
}

func (k *kit) findings(a article.Article) {
	k.printf("## All findings\n\n")
	for _, found := range a.Findings {
		k.printf("### %s\n\n", table.Markdown(found.Name))
		for _, finding := range found.Findings {
			k.printf("- %s **%s, %s** (confidence %.0f %%): %s %s\n", figure.SeverityMark(string(finding.Severity)), finding.Severity, finding.Kind,
				finding.Confidence*100, table.Markdown(finding.Summary), table.Markdown(finding.Advice))
		}
		if len(found.Findings) == 0 {
			k.printf("None: nothing in this session looks wrong or in need of a word.\n")
		}
		k.printf("\n")
	}
}

func (k *kit) bars(name string, bars figure.Bars) {
	k.figure(name, bars.Summary(), func(w io.Writer, f image.Format) error { return image.Bars(w, f, bars) })
}

// figure draws a figure in both formats and refers to it.
func (k *kit) figure(name, summary string, draw func(io.Writer, image.Format) error) {
	name = k.free("figure-" + name)
	for _, format := range []image.Format{image.PNG, image.SVG} {
		k.write(name+string(format), func(w io.Writer) error { return draw(w, format) })
	}
	k.printf("![%s](%s%s)\n\n", table.Markdown(summary), name, image.PNG)
}

// table writes a table in both formats and into the article.
func (k *kit) table(name string, t table.Table) {
	k.tableFiles(name, t)
	if err := t.Markdown(&k.text); err != nil && k.err == nil {
		k.err = err
	}
	k.printf("\n")
}

// tableFiles writes a table that is too long for the article.
func (k *kit) tableFiles(name string, t table.Table) {
	name = k.free("table-" + name)
	k.write(name+".csv", t.CSV)
	k.write(name+".md", t.Markdown)
}

func (k *kit) write(name string, write func(io.Writer) error) {
	if k.err == nil {
		k.err = writeFile(filepath.Join(k.folder, name), write)
	}
}

// free makes a file's name of a text: letters, digits and hyphens, and no other one's.
func (k *kit) free(text string) string {
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
	for number := 2; k.taken[made]; number++ {
		made = fmt.Sprintf("%s-%d", base, number)
	}
	k.taken[made] = true
	return made
}
