package figure

import (
	"fmt"
	"slices"

	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var copyMatrixForm = Form{
	Name: "copy-matrix", Question: "How fast are copies of real files?", Few: true,
	Section: "copies", Title: "Copies", OverTime: true, Missing: "has no copies, so there is " +
		"no matrix to draw",
	Of: each(func(s *session.Session, subject Subject) []Figure {
		return asFigures(CopyMatrices(s, subject.Findings[s.ID], subject.Notation))
	}),
}

// Head is what stands over the matrix.
func (m CopyMatrix) Head() Head {
	return Head{ID: m.ID, Title: m.Title, Subtitle: m.Subtitle, Message: m.message()}
}

// Table of a matrix has no rows: its cells say all.
func (m CopyMatrix) Table() table.Table { return table.Table{} }

// CopyMatrix is copies between several ends: rows are where they come from, columns
// where they go to.
type CopyMatrix struct {
	ID       string   `json:"id"`
	Title    string   `json:"title"`
	Subtitle string   `json:"subtitle"`
	Unit     string   `json:"unit"`
	Set      string   `json:"set"`
	Ends     []string `json:"ends"`
	// Cells are by row and column.
	Cells [][]CopyCell `json:"cells"`
}

// CopyCell is the copies from one end to another.
type CopyCell struct {
	Known bool `json:"known"`
	// Value is in the matrix's unit, Share of the fastest cell.
	Value float64 `json:"value"`
	Share float64 `json:"share"`
	Text  string  `json:"text"`
	// Time is how long a copy takes, and Limit in a word or two what holds it.
	Time  string `json:"time"`
	Limit string `json:"limit"`
}

// CopyMatrices makes a matrix for each set of a session's copies. findings say what
// holds each of them.
func CopyMatrices(s *session.Session, findings []session.Finding, notation unit.Notation) []CopyMatrix {
	var sets []string
	for i := range s.Copies {
		if c := &s.Copies[i]; c.Work == session.CopyWhole && !slices.Contains(sets, c.Set) {
			sets = append(sets, c.Set)
		}
	}
	var matrices []CopyMatrix
	for number, set := range sets {
		matrices = append(matrices, newCopyMatrix(s, number, set, findings, notation))
	}
	return matrices
}

func newCopyMatrix(s *session.Session, number int, set string, findings []session.Finding,
	notation unit.Notation) CopyMatrix {
	m := CopyMatrix{
		ID: fmt.Sprintf("matrix-%s-%d", s.ID, number), Title: s.DisplayName() + ": copies of " + set,
		Unit: notation.Unit(), Set: set,
		Subtitle: "rows are where they come from, columns where they go to; longer or darker is faster",
	}
	if s.Simulated {
		m.Subtitle += simulatedMark
	}
	for _, end := range s.Ends {
		m.Ends = append(m.Ends, end.Address)
	}
	rates, times, first := map[[2]int][]float64{}, map[[2]int][]float64{}, map[[2]int]int{}
	fastest := 0.0
	for i := range s.Copies {
		c := &s.Copies[i]
		if c.Work != session.CopyWhole || c.Set != set || c.CutShort {
			continue
		}
		way := [2]int{c.From, c.To}
		if len(rates[way]) == 0 {
			first[way] = c.Index
		}
		rates[way], times[way] = append(rates[way], float64(c.BytesPerSecond)), append(times[way], c.ElapsedSeconds)
		fastest = max(fastest, stat.Median(rates[way]))
	}
	for from := range s.Ends {
		row := make([]CopyCell, len(s.Ends))
		for to := range s.Ends {
			way := [2]int{from, to}
			if len(rates[way]) == 0 {
				continue
			}
			rate := stat.Median(rates[way])
			row[to] = CopyCell{
				Known: true, Value: notation.Value(unit.BytesPerSecond(rate)), Share: rate / max(fastest, 1),
				Text: notation.Rate(unit.BytesPerSecond(rate)),
				Time: unit.Latency(stat.Median(times[way])), Limit: limitOf(first[way], findings),
			}
		}
		m.Cells = append(m.Cells, row)
	}
	return m
}

// limitOf says in a word or two what a finding says of a copy.
func limitOf(index int, findings []session.Finding) string {
	for _, f := range findings {
		if finding.Of(f).Marks != finding.CopyMatrix {
			continue
		}
		if end, ok := finding.EvidenceOf[finding.EndpointBoundEvidence](f); ok && end.End != "" && end.Copy == index {
			return end.End
		}
	}
	return ""
}

// Summary says in words what the matrix shows.
func (m CopyMatrix) Summary() string {
	text := m.Title
	for from, row := range m.Cells {
		for to, cell := range row {
			if cell.Known {
				text += fmt.Sprintf("; from %s to %s %s in %s", m.Ends[from], m.Ends[to], cell.Text, cell.Time)
			}
		}
	}
	return text + "."
}

// newCopyTrace makes the figure of one copy over time.
func newCopyTrace(s *session.Session, c *session.Copy, notation unit.Notation) HeatTrace {
	pass := session.Pass{Index: -1 - c.Index, ElapsedSeconds: c.ElapsedSeconds}
	for _, sample := range c.Samples {
		pass.Samples = append(pass.Samples, session.Sample{
			TSeconds: sample.TSeconds, ElapsedSeconds: sample.ElapsedSeconds, Bytes: sample.Bytes,
			BytesPerSecond: sample.BytesPerSecond, TemperaturesCelsius: sample.TemperaturesCelsius,
		})
	}
	without := *s
	without.Chain.BindingHop = -1 // a copy has two chains
	trace := NewHeatTrace(&without, &pass, nil, notation)
	trace.Title, trace.Writes, trace.Colour = s.DisplayName()+": "+CopyLabel(s, c), c.Work != session.CopySource, Writes
	if c.Work == session.CopySource {
		trace.Colour = Throughput
	}
	return trace
}

// CopyLabel names a piece of work with a set for people.
func CopyLabel(s *session.Session, c *session.Copy) string {
	switch c.Work {
	case session.CopySource:
		return c.Set + ", " + s.Ends[c.From].Address + " read alone"
	case session.CopyDestination:
		return c.Set + ", " + s.Ends[c.To].Address + " written alone"
	}
	return c.Set + ", " + s.Ends[c.From].Address + " to " + s.Ends[c.To].Address
}

// longCopies gives the copies that are worth a trace.
func longCopies(s *session.Session) []*session.Copy {
	const enough = 20
	var long []*session.Copy
	for i := range s.Copies {
		if c := &s.Copies[i]; len(c.Samples) >= enough && c.Work == session.CopyWhole {
			long = append(long, c)
		}
	}
	return long
}
