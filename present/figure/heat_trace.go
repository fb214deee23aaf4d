package figure

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"sort"
	"strings"

	"opengauge/core/judge/finding"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var heatTraceForm = Form{
	Name: "heat-trace", Question: "Does it stay that fast?",
	Section: "traces", Title: "Heat traces", Fold: "The samples as a table", OverTime: true,
	Missing: "has no pass of two samples or more, so there is no trace to draw",
	Of: each(func(s *session.Session, subject Subject) []Figure {
		alone := len(subject.Sessions) == 1 && !subject.Brief
		return asFigures(HeatTraces(s, subject.Findings[s.ID], alone, subject.Notation))
	}),
}

// HeatTraces are those of a session's long passes and copies, or of its longest pass
// where it is alone and has nothing else to show.
func HeatTraces(s *session.Session, findings []session.Finding, alone bool, notation unit.Notation) []HeatTrace {
	shown := longPasses(ranOn(s, findings))
	if longest := longestPass(s); alone && len(shown) == 0 && longest != nil && len(longest.Samples) > 1 &&
		len(DepthMaps(s, notation)) == 0 {
		shown = append(shown, longest)
	}
	var traces []HeatTrace
	for _, pass := range shown {
		traces = append(traces, NewHeatTrace(s, pass, findings, notation))
	}
	for _, c := range longCopies(s) {
		traces = append(traces, newCopyTrace(s, c, notation))
	}
	return traces
}

// ranOn is the session with passes that ran on as one recording put together, where a
// finding is about them as that.
func ranOn(s *session.Session, findings []session.Finding) *session.Session {
	joined := *s
	for _, run := range s.RunsOn() {
		about := func(f session.Finding) bool {
			return finding.Of(f).Marks == finding.HeatTrace &&
				slices.Equal(f.Passes, run.Indexes)
		}
		if !slices.ContainsFunc(findings, about) {
			continue
		}
		joined.Passes = slices.DeleteFunc(slices.Clone(joined.Passes), func(p session.Pass) bool {
			return slices.Contains(run.Indexes[1:], p.Index)
		})
		*joined.PassAt(run.Indexes[0]) = run.Whole
	}
	return &joined
}

// Head is what stands over the trace.
func (h HeatTrace) Head() Head {
	return Head{ID: h.ID, Title: h.Title, Subtitle: h.Subtitle, Message: h.message()}
}

// Summary says in words what the trace shows.
func (h HeatTrace) Summary() string {
	lowest, most := 0.0, 0.0
	for i, point := range h.Throughput.Points {
		if i == 0 || point.Value < lowest {
			lowest = point.Value
		}
		most = max(most, point.Value)
	}
	parts := []string{fmt.Sprintf("Throughput over %.0f seconds, between %s and %s %s", h.Seconds,
		unit.Digits(lowest, 4), unit.Digits(most, 4), h.Unit)}
	for _, line := range h.Temperatures {
		last := line.Points[len(line.Points)-1]
		parts = append(parts, fmt.Sprintf("%s from %.0f to %.0f °C", line.Name, line.Points[0].Value, last.Value))
	}
	for _, line := range h.Power {
		parts = append(parts, fmt.Sprintf("%s up to %s W", line.Name, unit.Digits(highest(line), 3)))
	}
	for _, span := range h.Spans {
		parts = append(parts, fmt.Sprintf("%s from %.0f to %.0f seconds", span.Kind, span.From, span.To))
	}
	return strings.Join(parts, "; ") + "."
}

// HeatTrace is throughput over time with temperatures below on the same axis,
// and findings as marked spans.
type HeatTrace struct {
	ID       string `json:"id"`
	Title    string `json:"title"`
	Subtitle string `json:"subtitle"`
	// Seconds is the length of the time axis, from 0.
	Seconds float64 `json:"seconds"`
	Writes  bool    `json:"writes"`
	Colour  string  `json:"colour"`
	// Unit is that of Throughput and Ceiling: "MB/s".
	Unit         string   `json:"unit"`
	Throughput   Line     `json:"throughput"`
	Temperatures []Line   `json:"temperatures"` // in degrees Celsius
	Power        []Line   `json:"power"`        // in watts, a line a meter
	Ceiling      *Ceiling `json:"ceiling,omitempty"`
	Spans        []Span   `json:"spans"`
	// Fan is when a fan ran, where that is known; FanKnown says whether.
	Fan      []Stretch `json:"fan"`
	FanKnown bool      `json:"fanKnown"`
}

// Stretch is a part of the time axis.
type Stretch struct {
	From float64 `json:"from"`
	To   float64 `json:"to"`
}

// mostPoints of a line are kept: a day at one second would not open in a moment.
const mostPoints = 320

func thinned(points []Point) []Point { return thinnedTo(points, mostPoints) }

// thinnedTo keeps, of every bucket of points, the lowest and the highest, so that
// no dip is lost.
func thinnedTo(points []Point, most int) []Point {
	if len(points) <= most {
		return points
	}
	bucket := (len(points) + most/2 - 1) / (most / 2)
	kept := make([]Point, 0, most)
	for from := 0; from < len(points); from += bucket {
		low, high := from, from
		for i := from; i < min(from+bucket, len(points)); i++ {
			if points[i].Value < points[low].Value {
				low = i
			}
			if points[i].Value > points[high].Value {
				high = i
			}
		}
		first, second := min(low, high), max(low, high)
		kept = append(kept, points[first])
		if second != first {
			kept = append(kept, points[second])
		}
	}
	return kept
}

// fanStretches gives the stretches in which any fan of a pass ran, and whether
// there is one.
func fanStretches(pass *session.Pass) ([]Stretch, bool) {
	stretches, known := []Stretch{}, false
	for _, sample := range pass.Samples {
		running := false
		for name, value := range sample.Readings {
			if strings.HasSuffix(name, "fan_running") || strings.HasSuffix(name, "_rpm") {
				known, running = true, running || value > 0
			}
		}
		from := sample.TSeconds - sample.ElapsedSeconds
		switch last := len(stretches) - 1; {
		case !running:
		case last >= 0 && from-stretches[last].To < 1e-6:
			stretches[last].To = sample.TSeconds
		default:
			stretches = append(stretches, Stretch{from, sample.TSeconds})
		}
	}
	return stretches, known
}

// Line is a named series of points.
type Line struct {
	Name   string  `json:"name"`
	Points []Point `json:"points"`
}

// Point is a value at a time in seconds.
type Point struct {
	Seconds float64 `json:"t"`
	Value   float64 `json:"v"`
}

// Ceiling is the usable high figure of the binding hop.
type Ceiling struct {
	Label string  `json:"label"`
	Value float64 `json:"value"`
}

// Span is a stretch of time that a finding marks.
type Span struct {
	From     float64 `json:"from"`
	To       float64 `json:"to"`
	Kind     string  `json:"kind"`
	Severity string  `json:"severity"`
	// Level is the median throughput over the stretch, and LevelText the same
	// with its unit.
	Level     float64 `json:"level"`
	LevelText string  `json:"levelText"`
}

// NewHeatTrace makes the figure of one pass. Findings of other passes are left
// out.
func NewHeatTrace(s *session.Session, pass *session.Pass, findings []session.Finding,
	notation unit.Notation) HeatTrace {
	trace := HeatTrace{
		ID: fmt.Sprintf("trace-%s-%d", s.ID, pass.Index), Title: s.DisplayName() + ": " + pass.Label(),
		Unit: notation.Unit(), Writes: pass.Operation != load.Read, Colour: Throughput,
		Throughput: Line{Name: "throughput"}, Temperatures: []Line{}, Power: []Line{}, Spans: []Span{},
	}
	if trace.Writes {
		trace.Colour = Writes
	}
	trace.Subtitle = subtitle(s)
	for i, sample := range pass.Samples {
		trace.Seconds = sample.TSeconds
		if i == 0 { // a sample stands for the stretch that ends with it
			trace.Throughput.Points = append(trace.Throughput.Points, Point{0, notation.Value(sample.BytesPerSecond)})
		}
		trace.Throughput.Points = append(trace.Throughput.Points,
			Point{sample.TSeconds, notation.Value(sample.BytesPerSecond)})
	}
	trace.Throughput.Points = thinned(trace.Throughput.Points)
	trace.Temperatures, trace.Power = temperatureLines(pass), powerLines(pass)
	trace.Fan, trace.FanKnown = fanStretches(pass)
	if hop, ok := s.Chain.Binding(); ok {
		trace.Ceiling = &Ceiling{
			Label: "ceiling of " + hop.Name + ", " + notation.Rate(hop.Usable.High),
			Value: notation.Value(hop.Usable.High),
		}
	}
	trace.Spans = spansOf(pass, findings, notation)
	return trace
}

// longPasses gives the passes that are worth a trace: those of at least twenty
// samples.
func longPasses(s *session.Session) []*session.Pass {
	const enough = 20
	var long []*session.Pass
	for i := range s.Passes {
		if len(s.Passes[i].Samples) >= enough {
			long = append(long, &s.Passes[i])
		}
	}
	return long
}

// longestPass gives the pass with the most samples, or nil.
func longestPass(s *session.Session) *session.Pass {
	var longest *session.Pass
	for i := range s.Passes {
		if longest == nil || len(s.Passes[i].Samples) > len(longest.Samples) {
			longest = &s.Passes[i]
		}
	}
	return longest
}

func subtitle(s *session.Session) string {
	parts := []string{s.Target.Address}
	if s.Simulated {
		parts[0] += " (simulated)"
	}
	for _, key := range slices.Sorted(maps.Keys(s.Conditions)) {
		parts = append(parts, key+"="+s.Conditions[key])
	}
	return strings.Join(parts, " · ")
}

func temperatureLines(pass *session.Pass) []Line {
	byName := map[string][]Point{}
	for _, sample := range pass.Samples {
		for name, value := range sample.TemperaturesCelsius {
			byName[name] = append(byName[name], Point{sample.TSeconds, float64(value)})
		}
	}
	lines := make([]Line, 0, len(byName))
	for name, points := range byName {
		lines = append(lines, Line{Name: name, Points: thinned(points)})
	}
	sort.Slice(lines, func(i, j int) bool { return lines[i].Name < lines[j].Name })
	return lines
}

// mostPowerPoints of a meter are drawn: its lane is low.
const mostPowerPoints = 40

// powerLines are what meters said of power, at their own times where they have them; those
// that move.
func powerLines(pass *session.Pass) []Line {
	byKey := map[string][]Point{}
	for _, track := range pass.Tracks {
		for i, at := range track.TSeconds {
			if at >= 0 {
				byKey[track.Key] = append(byKey[track.Key], Point{at, track.Values[i]})
			}
		}
	}
	tracked := maps.Clone(byKey)
	for _, sample := range pass.Samples {
		for key, watts := range sample.Readings {
			if (session.StoragePower(key) || session.MachinePower(key)) && tracked[key] == nil {
				byKey[key] = append(byKey[key], Point{sample.TSeconds, watts})
			}
		}
	}
	lines := make([]Line, 0, len(byKey))
	for _, key := range slices.Sorted(maps.Keys(byKey)) {
		line := Line{Name: table.MeterName(key), Points: thinnedTo(byKey[key], mostPowerPoints)}
		if !flat(line) {
			lines = append(lines, line)
		}
	}
	return lines
}

// flatShare is by how much a line has to move to tell more than its mean, which tables have.
const flatShare = 0.1

func flat(line Line) bool {
	least := math.Inf(1)
	for _, p := range line.Points {
		least = min(least, p.Value)
	}
	return highest(line)-least < flatShare*highest(line)
}

// wholePass is the share of a pass from which on a stretch is all of it: what a
// finding says of a whole pass marks no moment of it.
const wholePass = 0.98

// spansOf gives the stretches that findings mark on a pass.
func spansOf(pass *session.Pass, findings []session.Finding, notation unit.Notation) []Span {
	spans := []Span{}
	for _, finding := range findings {
		if len(finding.Passes) == 0 || finding.Passes[0] != pass.Index {
			continue
		}
		stretches := finding.Stretches()
		for _, stretch := range stretches {
			if len(pass.Samples) > 0 &&
				stretch.ToSeconds-stretch.FromSeconds >= wholePass*pass.Samples[len(pass.Samples)-1].TSeconds {
				continue
			}
			level := levelBetween(pass, stretch.FromSeconds, stretch.ToSeconds)
			spans = append(spans, Span{
				From: stretch.FromSeconds, To: stretch.ToSeconds, Kind: finding.Kind,
				Severity: string(finding.Severity),
				Level:    notation.Value(level), LevelText: notation.Rate(level),
			})
		}
	}
	return spans
}

// levelBetween is the median throughput of the samples that end between two times.
func levelBetween(pass *session.Pass, from, to float64) unit.BytesPerSecond {
	var rates []float64
	for _, sample := range pass.Samples {
		if sample.TSeconds > from && sample.TSeconds <= to {
			rates = append(rates, float64(sample.BytesPerSecond))
		}
	}
	return unit.BytesPerSecond(stat.Median(rates))
}

// mostTraceRows keeps the table behind a trace readable.
const mostTraceRows = 60

// Table is the table behind a heat trace: its samples, thinned where they are
// many.
func (trace HeatTrace) Table() table.Table {
	t := table.Table{Columns: []table.Column{table.Number("seconds"), table.Number(trace.Unit)}}
	for _, line := range trace.Temperatures {
		t.Columns = append(t.Columns, table.Number(line.Name+", °C"))
	}
	temperatures := make([]map[float64]float64, len(trace.Temperatures))
	for i, line := range trace.Temperatures {
		temperatures[i] = make(map[float64]float64, len(line.Points))
		for _, point := range line.Points {
			temperatures[i][point.Seconds] = point.Value
		}
	}
	points := trace.Throughput.Points
	stride := max((len(points)+mostTraceRows-1)/mostTraceRows, 1)
	for i := 0; i < len(points); i += stride {
		row := []string{fmt.Sprintf("%.0f", points[i].Seconds), unit.Digits(points[i].Value, 4)}
		for _, known := range temperatures {
			value, ok := known[points[i].Seconds]
			row = append(row, temperatureCell(value, ok))
		}
		t.Rows = append(t.Rows, row)
	}
	if stride > 1 {
		t.Notes = append(t.Notes, fmt.Sprintf("Every %d. sample is listed; the session has them all.", stride))
	}
	return t
}

func temperatureCell(value float64, there bool) string {
	if !there {
		return ""
	}
	return fmt.Sprintf("%.0f", value)
}
