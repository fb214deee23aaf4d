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
	"time"

	"opengauge/core/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

//go:embed page.html page.css page.js vendor/echarts.min.js
var files embed.FS

// Report is what a page shows.
type Report struct {
	Title    string
	Sessions []*session.Session
	// Findings of each session, by its id.
	Findings map[string][]session.Finding
	Notation unit.Notation
	// Program is the version of the program that writes the page.
	Program string
	Written time.Time
}

// view is the report in the form that the template reads.
type view struct {
	Title, Program, Written string
	Style                   template.CSS
	Charts, Script          template.JS
	Data                    template.JS
	Sessions                []sessionView
	Simulated               bool
}

type sessionView struct {
	ID, Name, Target string
	Simulated        bool
	Passes           table.Table
	Repeats          table.Table
	Circumstances    table.Table
	Findings         []findingView
	// Strip is nil where no hop of the chain is known.
	Strip *traceView
	// Ladder is nil where nothing was measured at several fill levels.
	Ladder *traceView
	Maps   []traceView
	Traces []traceView
}

type findingView struct {
	session.Finding
	Mark, Percent string
}

type traceView struct {
	ID, Title, Subtitle, Summary string
	// Note is about marks in the figure, or empty.
	Note  string
	Table table.Table
}

// Write writes the page.
func Write(w io.Writer, report Report) error {
	made, err := newView(report)
	if err != nil {
		return err
	}
	parsed, err := template.ParseFS(files, "page.html")
	if err != nil {
		return err
	}
	return parsed.Execute(w, made)
}

func newView(report Report) (view, error) {
	made := view{Title: report.Title, Program: report.Program, Written: report.Written.Format("2006-01-02 15:04 MST")}
	charts := chartData{Traces: map[string]figure.HeatTrace{}, Maps: []figure.DepthMap{}, Strips: []figure.ChainStrip{}, Ladders: []figure.FillLadder{}}
	for _, s := range report.Sessions {
		made.Sessions = append(made.Sessions, newSessionView(s, report, &charts))
		made.Simulated = made.Simulated || s.Simulated
	}
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

// newSessionView makes a session's view, and adds what is to be drawn to charts.
func newSessionView(s *session.Session, report Report, charts *chartData) sessionView {
	findings := report.Findings[s.ID]
	made := sessionView{
		ID: s.ID, Name: s.DisplayName(), Target: table.Marked(s.Target.Address, s.Simulated), Simulated: s.Simulated,
		Passes: table.Passes(s, report.Notation), Repeats: table.Repeats(s, report.Notation), Circumstances: table.Circumstances(s),
	}
	for _, finding := range findings {
		made.Findings = append(made.Findings, findingView{
			Finding: finding, Mark: figure.SeverityMark(string(finding.Severity)), Percent: fmt.Sprintf("%.0f %%", finding.Confidence*100),
		})
	}
	if strip, known := figure.ChainStripOf(s, report.Notation); known {
		charts.Strips = append(charts.Strips, strip)
		made.Strip = &traceView{
			ID: strip.ID, Title: strip.Title, Subtitle: strip.Subtitle, Summary: strip.Summary(), Table: table.Chain(s.Chain, report.Notation),
		}
	}
	if ladder, known := figure.NewFillLadder(s, report.Notation); known {
		charts.Ladders = append(charts.Ladders, ladder)
		made.Ladder = &traceView{ID: ladder.ID, Title: ladder.Title, Subtitle: ladder.Subtitle, Summary: ladder.Summary(), Table: table.FillLadder(ladder)}
	}
	maps := figure.DepthMaps(s, report.Notation)
	charts.Maps = append(charts.Maps, maps...)
	for _, m := range maps {
		made.Maps = append(made.Maps, traceView{
			ID: m.ID, Title: m.Title, Subtitle: m.Subtitle, Note: m.Note(), Table: table.DepthMap(m),
			Summary: fmt.Sprintf("Depth map: %s for %d block sizes by %d queue depths, shaded by the share %s", m.Unit, len(m.Blocks), len(m.Depths), m.Of),
		})
	}
	shown := figure.LongPasses(s)
	if longest := figure.LongestPass(s); len(shown) == 0 && longest != nil && len(maps) == 0 {
		shown = append(shown, longest)
	}
	for _, pass := range shown {
		trace := figure.NewHeatTrace(s, pass, findings, report.Notation)
		id := fmt.Sprintf("trace-%s-%d", s.ID, pass.Index)
		charts.Traces[id] = trace
		made.Traces = append(made.Traces, traceView{
			ID: id, Title: trace.Title, Subtitle: trace.Subtitle, Summary: describe(trace), Table: table.Trace(trace),
		})
	}
	return made
}

// describe says in words what a trace shows, for those who do not see it.
func describe(trace figure.HeatTrace) string {
	lowest, highest := 0.0, 0.0
	for at, point := range trace.Throughput.Points {
		if at == 0 || point.Value < lowest {
			lowest = point.Value
		}
		highest = max(highest, point.Value)
	}
	parts := []string{fmt.Sprintf("Throughput over %.0f seconds, between %.4g and %.4g %s", trace.Seconds, lowest, highest, trace.Unit)}
	for _, line := range trace.Temperatures {
		last := line.Points[len(line.Points)-1]
		parts = append(parts, fmt.Sprintf("%s from %.0f to %.0f °C", line.Name, line.Points[0].Value, last.Value))
	}
	for _, span := range trace.Spans {
		parts = append(parts, fmt.Sprintf("%s from %.0f to %.0f seconds", span.Kind, span.From, span.To))
	}
	return strings.Join(parts, "; ") + "."
}
