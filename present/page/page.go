// Package page writes reports as one self-contained HTML file, which works from
// disk and refers to nothing outside of itself.
package page

import (
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"strings"

	"opengauge/core/record/session"
	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/table"
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
	return page.Execute(w, made)
}

func newView(a article.Article) (view, error) {
	made := view{Article: a}
	charts := chartData{Traces: map[string]figure.HeatTrace{}, Maps: []figure.DepthMap{}, Strips: []figure.ChainStrip{}, Ladders: []figure.FillLadder{}}
	for _, tested := range a.Tested {
		if tested.Strip != nil {
			charts.Strips = append(charts.Strips, *tested.Strip)
		}
	}
	for _, trace := range a.Traces {
		charts.Traces[trace.ID] = trace.HeatTrace
	}
	charts.Maps = append(charts.Maps, a.Maps...)
	charts.Ladders = append(charts.Ladders, a.Ladders...)
	// json.Marshal writes <, > and & as escapes, so the data cannot end its
	// script element.
	data, err := json.Marshal(charts)
	if err != nil {
		return view{}, err
	}
	made.Data = template.JS(data)
	for name, place := range map[string]*string{
		"page.css": (*string)(&made.Style), "page.js": (*string)(&made.Script), "vendor/echarts.min.js": (*string)(&made.Charts),
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
	folded := func(summary, title string, t table.Table) (template.HTML, error) {
		return show("details", summary, summary+": "+title, t)
	}
	return template.FuncMap{
		"table":   func(label string, t table.Table) (template.HTML, error) { return show("table", "", label, t) },
		"details": func(summary, title string, t table.Table) (template.HTML, error) { return folded(summary, title, t) },
		"cells": func(m figure.DepthMap) (template.HTML, error) {
			return folded("The cells as a table", m.Title, table.DepthMap(m))
		},
		"samples": func(t article.Trace) (template.HTML, error) {
			return folded("The samples as a table", t.Title, table.Trace(t.HeatTrace))
		},
		"rungs": func(l figure.FillLadder) (template.HTML, error) {
			return folded("The levels as a table", l.Title, table.FillLadder(l))
		},
		"mapSummary": func(m figure.DepthMap) string {
			return fmt.Sprintf("Depth map: %s for %d block sizes by %d queue depths, shaded by the share %s", m.Unit, len(m.Blocks), len(m.Depths), m.Of)
		},
		"mark":    func(f session.Finding) string { return figure.SeverityMark(string(f.Severity)) },
		"wide":    func(share float64) string { return fmt.Sprintf("%.0f", share*100) },
		"percent": func(share float64) string { return fmt.Sprintf("%.0f %%", share*100) },
		"share":   func(value float64, g figure.BarGroup) string { return fmt.Sprintf("%.2f", 100*value/g.Top()) },
		"between": func(low, high float64, g figure.BarGroup) string { return fmt.Sprintf("%.2f", 100*(high-low)/g.Top()) },
	}
}
