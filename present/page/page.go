// Package page writes reports as one self-contained HTML file, which works from
// disk and refers to nothing outside of itself.
//
// Its functions may be called by several goroutines at once.
package page

import (
	"bytes"
	"embed"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"strings"

	"opengauge/core/record/session"
	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/image"
	"opengauge/present/table"
	"opengauge/present/text"
)

//go:embed page.html page.css page.js vendor/echarts.min.js
var files embed.FS

// view is the article in the form that the template reads.
type view struct {
	article.Article
	Style          template.CSS
	Charts, Script template.JS
	Data           template.JS
}

// Write writes the page of an article.
func Write(w io.Writer, a article.Article) error {
	made, err := newView(a)
	if err != nil {
		return err
	}
	page := template.New("page.html")
	page.Funcs(functions(page))
	if page, err = page.ParseFS(files, "page.html"); err != nil {
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
	made := view{Article: a}
	charts := chartData{
		Traces: map[string]figure.HeatTrace{}, Maps: []figure.DepthMap{}, Strips: []figure.ChainStrip{},
		Ladders: []figure.FillLadder{},
	}
	for _, shown := range a.Figures() {
		charts.take(shown.Figure)
	}
	// json.Marshal writes <, > and & as escapes, so the data cannot end its
	// script element.
	data, err := json.Marshal(charts)
	if err != nil {
		return view{}, err
	}
	made.Data = template.JS(data)
	for name, place := range map[string]*string{
		"page.css": (*string)(&made.Style), "page.js": (*string)(&made.Script),
		"vendor/echarts.min.js": (*string)(&made.Charts),
	} {
		source, err := files.ReadFile(name)
		if err != nil {
			return view{}, err
		}
		*place = string(source)
	}
	return made, nil
}

// chartData is what the page's script draws, by the id of its place.
type chartData struct {
	Traces  map[string]figure.HeatTrace `json:"traces"`
	Maps    []figure.DepthMap           `json:"maps"`
	Strips  []figure.ChainStrip         `json:"strips"`
	Ladders []figure.FillLadder         `json:"ladders"`
}

// take adds a figure that the page's script draws, and reports whether it does.
func (c *chartData) take(f figure.Figure) bool {
	switch f := f.(type) {
	case figure.ChainStrip:
		c.Strips = append(c.Strips, f)
	case figure.HeatTrace:
		c.Traces[f.ID] = f
	case figure.DepthMap:
		c.Maps = append(c.Maps, f)
	case figure.FillLadder:
		c.Ladders = append(c.Ladders, f)
	default:
		return false
	}
	return true
}

// drawn is the place of a figure in the page: one that the script draws, one that is
// made of the page's own elements, or the drawing itself.
func drawn(page *template.Template, f figure.Figure) (template.HTML, error) {
	var out strings.Builder
	switch f := f.(type) {
	case figure.Bars:
		err := page.ExecuteTemplate(&out, "bars", f)
		return template.HTML(out.String()), err
	case figure.CopyMatrix:
		err := page.ExecuteTemplate(&out, "matrix", f)
		return template.HTML(out.String()), err
	}
	id, label := template.HTMLEscapeString(f.Head().ID), template.HTMLEscapeString(f.Summary())
	if charts := (&chartData{Traces: map[string]figure.HeatTrace{}}); charts.take(f) {
		class := "chart"
		if len(charts.Strips) > 0 {
			class = "chart strip"
		}
		return template.HTML(fmt.Sprintf(`<div class="%s" id="%s" role="img" aria-label="%s"></div>`, class, id,
			label)), nil
	}
	if err := image.Write(&out, image.SVG, f); err != nil {
		return "", err
	}
	data := base64.StdEncoding.EncodeToString([]byte(out.String()))
	return template.HTML(fmt.Sprintf(`<img class="drawing" id="%s" alt="%s" src="data:image/svg+xml;base64,%s">`, id,
		label, data)), nil
}

// noteOf is what belongs under a figure's title besides.
func noteOf(f article.Shown) string {
	if m, ok := f.Figure.(figure.DepthMap); ok {
		return m.Note()
	}
	return ""
}

// labelled is a table with a label for those who do not see what it is near to, and
// the line that it is folded behind.
type labelled struct {
	Label, Summary string
	table.Table
}

// functions are what the template calls.
func functions(page *template.Template) template.FuncMap {
	labels := map[string]int{}
	show := func(name, summary, label string, t table.Table) (template.HTML, error) {
		labels[label]++
		if labels[label] > 1 { // each region has a name of its own
			label = fmt.Sprintf("%s, %d", label, labels[label])
		}
		var out strings.Builder
		err := page.ExecuteTemplate(&out, name, labelled{label, summary, t})
		return template.HTML(out.String()), err
	}
	return template.FuncMap{
		"table": func(label string, t table.Table) (template.HTML, error) { return show("table", "", label, t) },
		"details": func(summary, label string, t table.Table) (template.HTML, error) {
			return show("details", summary, label, t)
		},
		"drawn": func(f *article.Shown) (template.HTML, error) { return drawn(page, f.Figure) },
		"note":  func(f *article.Shown) string { return noteOf(*f) },
		"source": func(p *session.Photo) template.URL {
			return template.URL("data:image/" + p.Ending()[1:] + ";base64," + base64.StdEncoding.EncodeToString(p.Data))
		},
		"mark":    func(f *session.Finding) string { return figure.SeverityMark(string(f.Severity)) },
		"wide":    func(share float64) string { return fmt.Sprintf("%.0f", share*100) },
		"percent": func(share float64) string { return fmt.Sprintf("%.0f %%", share*100) },
		"share":   func(value float64, g figure.BarGroup) string { return fmt.Sprintf("%.2f", 100*value/g.Top()) },
		"between": func(low, high float64, g figure.BarGroup) string {
			return fmt.Sprintf("%.2f",
				100*(high-low)/g.Top())
		},
	}
}
