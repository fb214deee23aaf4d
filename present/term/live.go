package term

import (
	"bytes"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/charmbracelet/x/ansi"

	"opengauge/core/bench/sensor"
	"opengauge/core/measure/run"
	"opengauge/core/unit"
	"opengauge/present/figure"
)

const (
	// leastHeight is how many rows a terminal has to have for the live view; on
	// lower ones progress is one line.
	leastHeight = 22
	// mostPoints of a pass are kept for its trace; beyond that neighbours are put
	// together.
	mostPoints = 1200
)

// live is the state of the live view of a pass.
type live struct {
	pass   int
	points []figure.Point
	// joined is how many reports are in one point, and pending how many are in
	// the last one.
	joined, pending int
	temperatures    map[string][]figure.Point
	lines           int // drawn, to be taken away
}

// take enters a report.
func (l *live) take(report run.Progress, notation unit.Notation) {
	if report.Pass != l.pass || l.temperatures == nil {
		*l = live{pass: report.Pass, joined: 1, temperatures: map[string][]figure.Point{}, lines: l.lines}
	}
	if report.Elapsed <= 0 || report.Rate <= 0 {
		return
	}
	at := report.Elapsed.Seconds()
	for name, celsius := range report.Temperatures {
		l.temperatures[name] = thin(append(l.temperatures[name], figure.Point{Seconds: at, Value: float64(celsius)}))
	}
	value := notation.Value(report.Rate)
	if l.pending > 0 && l.pending < l.joined {
		last := &l.points[len(l.points)-1]
		last.Value, last.Seconds = min(last.Value, value), at // no dip is lost
		l.pending++
		return
	}
	l.points, l.pending = append(l.points, figure.Point{Seconds: at, Value: value}), 1
	if len(l.points) >= mostPoints {
		for i := range mostPoints / 2 {
			pair := l.points[2*i+1]
			pair.Value = min(pair.Value, l.points[2*i].Value)
			l.points[i] = pair
		}
		l.points, l.joined = l.points[:mostPoints/2], l.joined*2
	}
}

// thinned leaves out every second of too many points.
func thin(points []figure.Point) []figure.Point {
	if len(points) < mostPoints {
		return points
	}
	kept := points[:0]
	for i := 1; i < len(points); i += 2 {
		kept = append(kept, points[i])
	}
	return kept
}

// trace is the pass so far as a figure.
func (l *live) trace(report run.Progress, notation unit.Notation) figure.HeatTrace {
	trace := figure.HeatTrace{Unit: notation.Unit(), Writes: report.Writes, Throughput: figure.Line{Points: l.points}}
	if len(l.points) > 0 {
		trace.Seconds = l.points[len(l.points)-1].Seconds
	}
	for _, name := range slices.Sorted(maps.Keys(l.temperatures)) {
		trace.Temperatures = append(trace.Temperatures, figure.Line{Name: name, Points: l.temperatures[name]})
	}
	return trace
}

// redrawLive draws the view in place of the one before.
func (p *Progress) redrawLive(report run.Progress) {
	var out bytes.Buffer
	page := &Screen{out: &out, Width: p.screen.Width}
	p.drawLive(page, report)
	text := strings.TrimSuffix(out.String(), "\n")
	lines := strings.Split(text, "\n")
	var drawn strings.Builder
	drawn.WriteString(p.live.back())
	for i, line := range lines {
		if i > 0 {
			drawn.WriteString("\n")
		}
		drawn.WriteString("\r" + ansi.Truncate(line, p.screen.Width-1, "…") + ansi.EraseLineRight)
	}
	// What the view before had below this one.
	drawn.WriteString(ansi.EraseScreenBelow)
	p.screen.Printf("%s", drawn.String())
	p.live.lines = len(lines)
	p.shown = true
	p.drawn = time.Now()
}

// back takes the cursor to the first line of the view.
func (l *live) back() string {
	if l.lines > 1 {
		return "\r" + ansi.CursorUp(l.lines-1)
	}
	return "\r"
}

func (p *Progress) drawLive(page *Screen, report run.Progress) {
	doing := report.Doing
	if report.Pass > 0 {
		doing = fmt.Sprintf("pass %d/%d  %s", report.Pass, report.Passes, doing)
	}
	page.Printf("%s %3.0f %%  %s left  %s\n", progressBar(report.Share), report.Share*100, unit.Span(report.Left),
		Clean(doing))
	facts := []string{bold.Render(p.notation.Rate(report.Rate))}
	if report.Latency > 0 {
		facts = append(facts, unit.Latency(report.Latency.Seconds())+" an operation")
	}
	for _, name := range slices.Sorted(maps.Keys(report.Temperatures)) {
		facts = append(facts, warm.Render(Clean(name)+" "+report.Temperatures[name].String()))
	}
	for _, name := range slices.Sorted(maps.Keys(report.Readings)) {
		facts = append(facts, reading(name, report.Readings[name]))
	}
	page.Println(strings.Join(facts, "   "))
	if len(p.live.points) > 1 {
		trace := p.live.trace(report, p.notation)
		columns := max(min(page.Width, plainWidth)-axisWidth-3, 20)
		page.flow(trace, columns)
		if len(trace.Temperatures) > 0 {
			page.heat(trace, columns)
		}
		page.timeAxis(trace, columns)
	}
	if report.Others != "" {
		page.Println(bold.Render(Clean(report.Others)))
	}
	if report.Says != "" {
		page.Println(bold.Render(Clean(report.Says)))
	}
	if report.Event != "" {
		page.Println(faint.Render("last: " + Clean(report.Event)))
	}
}

// readingUnit is how the names of readings end, and their unit.
type readingUnit struct{ ending, unit string }

// readingUnits lists the units of probes and of the machine's own sensors.
func readingUnits() []readingUnit {
	units := []readingUnit{{"_rpm", "rpm"}}
	for _, q := range sensor.Quantities() {
		switch q.Name {
		case sensor.MachinePower:
			units = append(units, readingUnit{q.Ending, "W, whole machine"})
		case sensor.Power, sensor.Current, sensor.Voltage, "sound":
			units = append(units, readingUnit{q.Ending, q.Unit})
		}
	}
	return append(units, readingUnit{"_watts", "W"}, readingUnit{"_dbm", "dBm"}, readingUnit{"_bits_per_second", "bit/s"})
}

// reading writes "fan_running": 1 as people say it.
func reading(name string, value float64) string {
	for _, known := range readingUnits() {
		if bare, ok := strings.CutSuffix(name, known.ending); ok && bare != "" {
			return strings.TrimSpace(fmt.Sprintf("%s %.3g %s", words(bare), value, known.unit))
		}
	}
	if bare, ok := strings.CutSuffix(name, "_seconds"); ok {
		return words(bare) + " " + unit.Latency(value)
	}
	if bare, ok := strings.CutSuffix(name, "_running"); ok {
		if value > 0 {
			return words(bare) + " on"
		}
		return words(bare) + " off"
	}
	return fmt.Sprintf("%s %.3g", words(name), value)
}
