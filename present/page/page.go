// Package page writes reports as one self-contained HTML file, which works from
// disk and refers to nothing outside of itself.
//
// Its functions may be called by several goroutines at once.
package page

import (
	"bytes"
	"embed"
	"fmt"
	"html/template"
	"io"
	"strings"

	"opengauge/core/record/exchange"
	"opengauge/core/unit"
	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/text"
)

//go:embed page.html parts.html page.css page.js vendor/uplot.min.js vendor/uplot.min.css
var files embed.FS

const (
	// mostData is what the sessions in a page may take, in bytes, and mostFolded what is
	// behind its folds: what has no room there is left to the sessions.
	mostData   = 1_000_000
	mostFolded = 500_000
)

// view is the article in the form that the template reads.
type view struct {
	article.Article
	Style  template.CSS
	Script template.JS
	// Data is the sessions, and Packed their text.
	Data     exchange.Enclosed
	Packed   template.HTML
	DataType string
	DataID   string
	// Open is the sections, and Folded what is behind folds, both written already; Left is
	// how many folds had no room.
	LeadFigure template.HTML
	Open       []writtenSection
	Folded     []template.HTML
	Left       int
	// DataSays says what the page carries, and LeftSays what it does not show.
	DataSays, LeftSays string
	// Payloads are what is drawn when it is opened or touched.
	Payloads []payload
}

// writtenSection is a section with its content.
type writtenSection struct {
	ID, Short, Title string
	Content          template.HTML
}

// Write writes the page of an article.
func Write(w io.Writer, a article.Article) error {
	made, err := newView(a)
	if err != nil {
		return err
	}
	page, err := template.ParseFS(files, "page.html")
	if err != nil {
		return err
	}
	var out bytes.Buffer
	if err := page.Execute(&out, made); err != nil {
		return err
	}
	// What is shown may come from devices, servers and other people's files.
	_, err = io.WriteString(w, text.Clean(out.String()))
	return err
}

func newView(a article.Article) (view, error) {
	made := view{Article: a, DataID: exchange.EnclosedID}
	parts, err := newWriter()
	if err != nil {
		return made, err
	}
	if a.Lead.Figure != nil {
		made.LeadFigure = parts.figure(*a.Lead.Figure, mostLead)
	}
	for _, section := range a.Sections {
		made.Open = append(made.Open, writtenSection{section.ID, section.Short, section.Title, parts.blocks(section.Blocks)})
	}
	parts.pack()
	parts.folded = true
	for i := range a.Folds {
		if parts.size > mostFolded {
			made.Left = len(a.Folds) - i
			break
		}
		made.Folded = append(made.Folded, parts.fold(a.Folds[i]))
	}
	parts.pack()
	if parts.err != nil {
		return made, parts.err
	}
	made.Payloads = parts.payloads
	if made.Data, err = exchange.Enclose(a.Sessions, mostData); err != nil {
		return made, err
	}
	made.Packed = template.HTML(made.Data.Base64)
	made.DataSays = "its " + unit.Count(made.Data.Count, "session")
	if made.Data.Left > 0 {
		made.DataSays = fmt.Sprintf("%d of its %d sessions, as many as there is room for", made.Data.Count, len(a.Sessions))
	}
	made.LeftSays = fmt.Sprintf("The tables and figures of %s have no room here, and are left to the data.",
		unit.Count(made.Left, "further session"))
	return made, made.addFiles()
}

// addFiles puts in what is the same in all pages.
func (v *view) addFiles() error {
	var read [4]string
	for i, name := range []string{"page.css", "vendor/uplot.min.css", "page.js", "vendor/uplot.min.js"} {
		content, err := files.ReadFile(name)
		if err != nil {
			return err
		}
		read[i] = string(content)
	}
	v.Style = template.CSS(tones() + read[0] + read[1])
	v.Script = template.JS(read[2])
	// The charts are not looked at before a figure is touched.
	chart, err := packed(map[string]string{chartID: read[3]})
	v.Payloads = append(v.Payloads, payload{chartID, chart})
	return err
}

// chartID is the payload with the library that draws what is touched.
const chartID = "chart-library"

// tones are the colours of figures as variables of the style: the dark ones on a dark
// screen, never on paper.
func tones() string {
	var light, dark strings.Builder
	for _, tone := range figure.Tones {
		fmt.Fprintf(&light, "--%s:%s;", tone.Name, tone.Light)
		fmt.Fprintf(&dark, "--%s:%s;", tone.Name, tone.Dark)
	}
	return ":root{" + light.String() + "}\n@media screen and (prefers-color-scheme:dark){:root{" + dark.String() + "}}\n"
}
