// Package article holds what a report says, in the order in which a reader wants it,
// independent of how it is written. The page and the article kit are made from it.
package article

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/value"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// Report is what a report is made of.
type Report struct {
	Title, Author, Note string
	Sessions            []*session.Session
	// Findings of each session, by its id.
	Findings map[string][]session.Finding
	// Comparison and Value are nil where there is nothing to compare, or no price.
	Comparison *compare.Comparison
	Value      *value.Value
	Notation   unit.Notation
	// Program is the version of the program that writes it.
	Program string
	Written time.Time
}

// Article is a report, ready to be written.
type Article struct {
	Title, Author, Note, Program, Written string
	Simulated                             bool
	Tested                                []Tested
	Verdicts                              []string
	// Comparison and Money are nil where there is none.
	Comparison *Comparison
	Matrices   []figure.CopyMatrix
	Maps       []figure.DepthMap
	Traces     []Trace
	Ladders    []figure.FillLadder
	Money      *Money
	Methods    []Method
	Findings   []Found
}

// Tested is a chain, and the sessions that it was tested in.
type Tested struct {
	ID, Title, Target string
	Simulated         bool
	Sessions          []Facts
	// Strip is nil where no hop of the chain is known.
	Strip *figure.ChainStrip
	Hops  table.Table
}

// Facts is what was on the bench in a session, in a line.
type Facts struct{ Name, Text string }

// Comparison is sessions side by side.
type Comparison struct {
	Bars               figure.Bars
	Table, Differences table.Table
	Verdicts           []string
	Findings           []session.Finding
}

// Trace is a heat trace with its id.
type Trace struct {
	ID string
	figure.HeatTrace
}

// Money is what the money buys.
type Money struct {
	Bars  figure.Bars
	Table table.Table
	Steps []string
}

// Method is how a session was measured, so that another lab can do the same.
type Method struct {
	ID, Name, Plan, About                 string
	Circumstances, Steps, Passes, Repeats table.Table
	// Copies, Starts, Contentions and Shares have no rows where there were none.
	Copies, Starts, Contentions, Shares table.Table
}

// Found is the findings of a session.
type Found struct {
	ID, Name string
	Findings []session.Finding
}

// New makes the article of a report.
func New(r Report) Article {
	a := Article{Title: r.Title, Author: r.Author, Note: r.Note, Program: r.Program, Written: r.Written.Format("2006-01-02 15:04 MST")}
	for _, s := range r.Sessions {
		findings := r.Findings[s.ID]
		a.Simulated = a.Simulated || s.Simulated
		a.Matrices = append(a.Matrices, figure.CopyMatrices(s, findings, r.Notation)...)
		a.Maps = append(a.Maps, figure.DepthMaps(s, r.Notation)...)
		a.Traces = append(a.Traces, tracesOf(s, findings, len(r.Sessions) == 1, r.Notation)...)
		if ladder, known := figure.NewFillLadder(s, r.Notation); known {
			a.Ladders = append(a.Ladders, ladder)
		}
		a.Methods = append(a.Methods, methodOf(s, r.Notation))
		a.Findings = append(a.Findings, Found{s.ID, s.DisplayName(), findings})
	}
	if r.Comparison != nil {
		a.Comparison = &Comparison{
			Bars: figure.Comparison(*r.Comparison, r.Notation), Table: table.Comparison(*r.Comparison, r.Notation),
			Differences: table.Differences(*r.Comparison), Verdicts: r.Comparison.Verdicts, Findings: r.Comparison.Findings,
		}
	}
	if r.Value != nil {
		if bars, drawn := figure.Money(*r.Value, r.Notation); drawn {
			a.Money = &Money{Bars: bars, Table: table.Offers(*r.Value, r.Notation)}
			for _, step := range r.Value.Steps {
				a.Money.Steps = append(a.Money.Steps, step.Verdict)
			}
		}
	}
	a.Tested = chainsOf(r)
	a.Verdicts = verdicts(r)
	return a
}

// chainsOf groups the sessions by what was measured through which hops. The strip
// of a group shows its fastest pass.
func chainsOf(r Report) []Tested {
	var chains []Tested
	place := map[string]int{}
	for _, s := range r.Sessions {
		key := s.Target.Address
		for _, hop := range s.Chain.Hops {
			key += "\n" + hop.Name + "\n" + hop.Standard
		}
		at, seen := place[key]
		if !seen {
			at, place[key] = len(chains), len(chains)
			chains = append(chains, Tested{ID: s.ID, Title: titleOf(s), Target: table.Marked(s.Target.Address, s.Simulated), Simulated: s.Simulated})
		}
		chain := &chains[at]
		chain.Sessions = append(chain.Sessions, Facts{s.DisplayName(), facts(s)})
		if strip, known := figure.ChainStripOf(s, r.Notation); known && (chain.Strip == nil || strip.Flow != nil && strip.Flow.Value > chain.Strip.FlowValue()) {
			chain.Strip, chain.Hops = &strip, table.Chain(s.Chain, r.Notation)
		}
	}
	return chains
}

// titleOf names what a session measured by its parts, or by its address.
func titleOf(s *session.Session) string {
	var names []string
	for _, part := range s.Parts {
		names = append(names, part.Name)
	}
	if len(names) == 0 {
		return s.Target.Address
	}
	return strings.Join(names, ", ")
}

// facts writes what was on the bench in a line.
func facts(s *session.Session) string {
	var texts []string
	for _, part := range s.Parts {
		text := string(part.Kind) + " " + part.Name
		if part.Capacity > 0 {
			text += " of " + part.Capacity.Decimal()
		}
		if part.Firmware != "" {
			text += ", firmware " + part.Firmware
		}
		texts = append(texts, text)
	}
	for _, key := range slices.Sorted(maps.Keys(s.Conditions)) {
		if key != "enclosure" { // said as a part
			texts = append(texts, key+" "+s.Conditions[key])
		}
	}
	texts = append(texts, "plan "+s.Plan.Name, s.Started.Local().Format("2006-01-02"))
	return strings.Join(texts, " · ")
}

// tracesOf gives the traces of a session's long passes, or of its longest where it
// is alone and has nothing else to show.
func tracesOf(s *session.Session, findings []session.Finding, alone bool, notation unit.Notation) []Trace {
	shown := figure.LongPasses(s)
	if longest := figure.LongestPass(s); alone && len(shown) == 0 && longest != nil && len(longest.Samples) > 0 && len(figure.DepthMaps(s, notation)) == 0 {
		shown = append(shown, longest)
	}
	var traces []Trace
	for _, pass := range shown {
		traces = append(traces, Trace{fmt.Sprintf("trace-%s-%d", s.ID, pass.Index), figure.NewHeatTrace(s, pass, findings, notation)})
	}
	for _, c := range figure.LongCopies(s) {
		traces = append(traces, Trace{fmt.Sprintf("trace-%s-copy-%d", s.ID, c.Index), figure.NewCopyTrace(s, c, notation)})
	}
	return traces
}

// copiesOf is the table of a session's copies, without rows where it has none.
func copiesOf(s *session.Session, notation unit.Notation) table.Table {
	if len(s.Copies) == 0 {
		return table.Table{}
	}
	return table.Copies(s, notation)
}

func methodOf(s *session.Session, notation unit.Notation) Method {
	return Method{
		ID: s.ID, Name: s.DisplayName(), Plan: s.Plan.Name, About: s.Plan.About, Circumstances: table.Circumstances(s),
		Steps: table.PlannedPasses(s.Plan.Passes(plan.DefaultHold)), Passes: table.Passes(s, notation), Repeats: table.Repeats(s, notation),
		Copies: copiesOf(s, notation), Starts: table.Starts(s), Contentions: table.Contentions(s, notation), Shares: table.Shares(s, notation),
	}
}

// Describe says in words what a trace shows, for those who do not see it.
func (t Trace) Describe() string {
	lowest, highest := 0.0, 0.0
	for at, point := range t.Throughput.Points {
		if at == 0 || point.Value < lowest {
			lowest = point.Value
		}
		highest = max(highest, point.Value)
	}
	parts := []string{fmt.Sprintf("Throughput over %.0f seconds, between %.4g and %.4g %s", t.Seconds, lowest, highest, t.Unit)}
	for _, line := range t.Temperatures {
		last := line.Points[len(line.Points)-1]
		parts = append(parts, fmt.Sprintf("%s from %.0f to %.0f °C", line.Name, line.Points[0].Value, last.Value))
	}
	for _, span := range t.Spans {
		parts = append(parts, fmt.Sprintf("%s from %.0f to %.0f seconds", span.Kind, span.From, span.To))
	}
	return strings.Join(parts, "; ") + "."
}
