// Package page writes a report as one self-contained HTML file, which works from disk and
// refers to nothing outside of itself.
//
// Text is escaped wherever it stands, since elements are built from typed values; only
// drawings, the page's own style and script, and base64 go in as they are.
//
// Its functions keep no state and are safe for concurrent use.
package page

import (
	"bytes"
	"embed"
	"fmt"
	"io"
	"strings"
	"sync"

	"opengauge/core/record/exchange"
	"opengauge/core/unit"
	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/text"
)

//go:embed page.css page.js vendor/uplot.min.js vendor/uplot.min.css
var files embed.FS

const (
	// maxData is the room for the enclosed sessions, in bytes.
	maxData = 1_000_000
	// maxFolded is the room for folded sections, in bytes; later ones are left to the data.
	maxFolded = 324_000
	// chartLibrary is the ID of the payload with the library that draws touched figures.
	chartLibrary = "chart-library"
)

// Write writes the page of an article to w.
func Write(w io.Writer, a article.Article) error {
	d, err := newDocument(a)
	if err != nil {
		return err
	}
	if d.data, err = exchange.Enclose(a.Sessions, maxData); err != nil {
		return err
	}
	if err := d.addAssets(); err != nil {
		return err
	}
	var out bytes.Buffer
	if err := d.render(&out); err != nil {
		return err
	}
	// Names may come from devices, servers and other people's files.
	_, err = io.WriteString(w, text.Clean(out.String()))
	return err
}

// newDocument renders the parts of an article.
func newDocument(a article.Article) (*document, error) {
	d := &document{Article: a}
	w := newWriter()
	if a.Lead.Figure != nil {
		d.leadFigure = w.figure(*a.Lead.Figure, maxLead)
	}
	for _, s := range a.Sections {
		d.sections = append(d.sections, section{s.ID, s.Short, s.Title, w.blocks(s.Blocks)})
	}
	w.pack()
	w.folded = true
	for i := range a.Folds {
		if w.size > maxFolded {
			d.omitted = len(a.Folds) - i
			break
		}
		d.folds = append(d.folds, w.fold(a.Folds[i]))
	}
	w.pack()
	d.payloads = w.payloads
	return d, w.err
}

// addAssets adds the style, the script and the chart library, which are alike on all pages.
func (d *document) addAssets() error {
	var style [2]string
	for i, name := range []string{"page.css", "vendor/uplot.min.css"} {
		content, err := files.ReadFile(name)
		if err != nil {
			return err
		}
		style[i] = string(content)
	}
	content, err := files.ReadFile("page.js")
	if err != nil {
		return err
	}
	library, err := packedChartLibrary()
	if err != nil {
		return err
	}
	d.library = library.hash
	d.style = colours() + style[0] + style[1]
	d.script = string(content)
	d.payloads = append(d.payloads, payload{chartLibrary, library.base64})
	return nil
}

// packedScript is a script that a page unpacks and runs, with the hash by which its policy knows it.
type packedScript struct{ base64, hash string }

// packedChartLibrary returns the chart library, which a page unpacks only when a figure is
// touched. Packing takes longer than many a page, so it is done once.
var packedChartLibrary = sync.OnceValues(func() (packedScript, error) {
	content, err := files.ReadFile("vendor/uplot.min.js")
	if err != nil {
		return packedScript{}, err
	}
	script := string(content) + ";window.uPlot = uPlot;"
	packed, err := compress(map[string]string{chartLibrary: script})
	return packedScript{packed, hashSource(script)}, err
})

// dataSummary says how many of its sessions the page carries.
func (d *document) dataSummary() string {
	if d.data.Left > 0 {
		return fmt.Sprintf("%d of its %d sessions, as many as there is room for", d.data.Count, len(d.Sessions))
	}
	return "its " + unit.Count(d.data.Count, "session")
}

// omittedSummary says how many sessions have no fold on the page.
func (d *document) omittedSummary() string {
	return fmt.Sprintf("The tables and figures of %s have no room here, and are left to the data.",
		unit.Count(d.omitted, "further session"))
}

// colours returns the colours of figures as CSS variables: the dark ones on a dark screen,
// never on paper.
func colours() string {
	var light, dark strings.Builder
	for _, tone := range figure.Tones {
		fmt.Fprintf(&light, "--%s:%s;", tone.Name, tone.Light)
		fmt.Fprintf(&dark, "--%s:%s;", tone.Name, tone.Dark)
	}
	return ":root{" + light.String() + "}\n@media screen and (prefers-color-scheme:dark){:root{" + dark.String() + "}}\n"
}
