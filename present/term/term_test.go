package term

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/measure/run"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// drawn gives what a screen without a terminal shows.
func drawn(draw func(*Screen)) string {
	var out bytes.Buffer
	draw(NewScreen(&out))
	return out.String()
}

func TestWithoutATerminalThereIsNoColour(t *testing.T) {
	text := drawn(func(s *Screen) {
		s.Heading("depths")
		s.Findings([]session.Finding{{Kind: "unsteady", Severity: session.Fault, Confidence: 0.9, Summary: "x",
			Advice: "y"}})
		s.HeatTrace(trace())
	})
	if strings.Contains(text, "\x1b") {
		t.Errorf("escapes in %q", text)
	}
	for _, want := range []string{"■ fault  unsteady  probability 90 %", "  → y"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is missing in:\n%s", want, text)
		}
	}
}

func TestHostileTextIsNotSentToTheTerminal(t *testing.T) {
	text := drawn(func(s *Screen) {
		s.Heading("a\x1b[2Jb")
		s.Table(table.Table{Columns: []table.Column{{Title: "x"}}, Rows: [][]string{{"\x1b]0;t\x07\u202e"}},
			Notes: []string{"\x9b31m"}})
	})
	if strings.ContainsAny(text, "\x1b\x07\u009b\u202e") {
		t.Errorf("control characters in %q", text)
	}
}

func TestAFigureStaysWithItsUnit(t *testing.T) {
	for _, unit := range []string{"%", "MB/s", "°C", "min", "s"} {
		text := "it is faster by some 20 " + unit + " and by more"
		for width := 22; width < 40; width++ {
			var out strings.Builder
			(&Screen{out: &out, Width: width}).Paragraph("→ ", text)
			if !strings.Contains(out.String(), "20 "+unit) {
				t.Errorf("at a width of %d: %q", width, out.String())
			}
		}
	}
}

func TestTheNameOfAFlagIsWhole(t *testing.T) {
	for _, text := range []string{"whose limit is told by --alone-first or (--sweep-hosts) it",
		"-v and --a-b-c are flags -x-y"} {
		for width := 22; width < 60; width++ {
			var out strings.Builder
			(&Screen{out: &out, Width: width}).Paragraph("→ ", text)
			if got := strings.Join(strings.Fields(strings.TrimPrefix(out.String(), "→")), " "); got != text {
				t.Errorf("at a width of %d: %q", width, out.String())
			}
		}
	}
}

func TestTableAlignsNumbers(t *testing.T) {
	text := drawn(func(s *Screen) {
		s.Table(table.Table{
			Columns: []table.Column{{Title: "name"}, {Title: "MB/s", Number: true}},
			Rows:    [][]string{{"ebb", "9"}, {"flood", "1234"}},
		})
	})
	lines := strings.Split(text, "\n")
	if len(lines) < 4 || !strings.HasSuffix(lines[2], "   9") || !strings.HasSuffix(lines[3], "1234") {
		t.Errorf("drawn as:\n%s", text)
	}
}

// trace is fast, then slow, with one temperature and one finding.
func trace() figure.HeatTrace {
	made := figure.HeatTrace{
		Title: "ebb", Seconds: 100, Unit: "MB/s", Throughput: figure.Line{Name: "throughput"},
		Temperatures: []figure.Line{{Name: "drive"}},
		Ceiling:      &figure.Ceiling{Label: "ceiling of limpet", Value: 1100},
		Spans:        []figure.Span{{From: 50, To: 100, Kind: "heat-throttle", Severity: "caution"}},
	}
	for second := range 101 {
		rate := 1000.0
		if second > 50 {
			rate = 250
		}
		if second == 25 {
			rate = 0 // a dip of one second
		}
		made.Throughput.Points = append(made.Throughput.Points, figure.Point{Seconds: float64(second), Value: rate})
		made.Temperatures[0].Points = append(made.Temperatures[0].Points,
			figure.Point{Seconds: float64(second), Value: 40})
	}
	return made
}

func TestHeatTrace(t *testing.T) {
	text := drawn(func(s *Screen) { s.HeatTrace(trace()) })
	lines := strings.Split(text, "\n")
	for _, want := range []string{"higher is better", "ceiling of limpet", "▲ heat-throttle", "• drive", "100 s"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is missing in:\n%s", want, text)
		}
	}
	bottom := lines[3+flowRows-1] // the lowest row of the throughput
	if !strings.Contains(bottom, "0 │") || strings.Count(bottom, "█") < 80 {
		t.Errorf("the lowest row is %q", bottom)
	}
	if gap := strings.Count(bottom, " ") - strings.Count(bottom[:strings.Index(bottom, "│")], " "); gap != 1 {
		t.Errorf("the dip of one second takes %d columns of the lowest row, want 1: %q", gap, bottom)
	}
}

func TestResampleKeepsTheDip(t *testing.T) {
	points := make([]figure.Point, 10_000)
	for i := range points {
		points[i] = figure.Point{Seconds: float64(i + 1), Value: 100}
	}
	points[7777].Value = 1
	least := 100.0
	for _, value := range resample(points, 10_000, 80, math.Min) {
		least = min(least, value)
	}
	if least != 1 {
		t.Errorf("the least column is %v, want the dip of 1", least)
	}
	few := resample(points[:2], 2, 8, math.Max)
	for i, value := range few {
		if value != 100 {
			t.Errorf("column %d of two points is %v, want 100", i, value)
		}
	}
}

func TestEvidenceIsWrittenWithUnits(t *testing.T) {
	for key, c := range map[string]struct {
		value       any
		label, want string
	}{
		"fast_bytes_per_second": {1.04e9, "fast", "1\u00a0040 MB/s"},
		"throttle_at_celsius":   {70.0, "throttle at", "70 °C"},
		"first_drop_seconds":    {143.9, "first drop", "143.9 s"},
		"moved_bytes":           {1e9, "moved", "1 GB (954 MiB)"},
		"time_slow_share":       {0.373, "time slow, share", "37.3 %"},
		"drops":                 {2.0, "drops", "2"},
		"sensor":                {"drive", "sensor", "drive"},
	} {
		if label, text := evidenceText(key, c.value, unit.Decimal); label != c.label || text != c.want {
			t.Errorf("%s is %q: %q, want %q: %q", key, label, text, c.label, c.want)
		}
	}
}

func TestProgressWithoutATerminalIsALineAPass(t *testing.T) {
	pass := &session.Pass{Load: load.Load{Operation: load.Read, Access: load.Random, Block: 4096, Depth: 8},
		BytesPerSecond: 41e6, IOPS: 10_000, CutShort: true}
	text := drawn(func(s *Screen) {
		p := NewProgress(s, unit.Decimal)
		p.Tell(run.Progress{Doing: "filling the test file"})
		p.Tell(run.Progress{Doing: "filling the test file"})
		p.Tell(run.Progress{Doing: pass.Label(), Pass: 1, Passes: 6, Left: time.Second})
		p.Tell(run.Progress{Doing: pass.Label(), Pass: 1, Passes: 6, Ended: pass})
		p.Finish()
	})
	want := "filling the test file\npass 1/6: read random 4 KiB, depth 8: 41 MB/s, 10\u00a0000 IOPS, p50 0 s (cut " +
		"short)\n"
	if text != want {
		t.Errorf("shown as %q, want %q", text, want)
	}
}

func TestProgressOnATerminalIsRedrawn(t *testing.T) {
	var out bytes.Buffer
	p := NewProgress(&Screen{out: &out, Width: 60, Interactive: true}, unit.Decimal)
	p.Tell(run.Progress{Doing: "read random 4 KiB, depth 32", Pass: 4, Passes: 6, Share: 0.5, Rate: 41e6,
		Left: 12 * time.Second})
	p.Finish()
	text := out.String()
	if !strings.Contains(text, "50 %") || !strings.Contains(text, "12 s left") || strings.Contains(text, "\n") {
		t.Errorf("drawn as %q", text)
	}
	if !strings.HasSuffix(text, "\r\x1b[K") && !strings.HasSuffix(text, "\r\x1b[0K") {
		t.Errorf("the line is not taken away at the end: %q", text)
	}
}

func TestChainStripShowsEveryHop(t *testing.T) {
	chain, err := link.ParseChain("desk: usb4 40g > short cable: usb 3.2 gen 1 > sandpiper: pcie 3.0 x4")
	if err != nil {
		t.Fatal(err)
	}
	strip := figure.NewChainStrip(chain, unit.Decimal)
	strip.Flow = &figure.Flow{Value: 440, Text: "440 MB/s", Label: "read sequential"}
	text := drawn(func(s *Screen) { s.ChainStrip(strip) })
	for _, want := range []string{"usb 3.2 gen 1", "short cable", "▲ narrowest", "411 to 463", "measured: 440 MB/s",
		"higher carries more"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in:\n%s", want, text)
		}
	}
	lines := strings.Split(text, "\n")
	// The flow runs along the whole bottom row; only the wide hops reach the top.
	if bottom := lines[9]; strings.Count(bottom, "█") < 60 {
		t.Errorf("the bottom row is %q", bottom)
	}
	if top := lines[3]; strings.Count(top, "▒") < 40 {
		t.Errorf("the row below the top is %q", top)
	}
}

func TestLiveViewIsRedrawnAndTakenAway(t *testing.T) {
	var out bytes.Buffer
	p := NewProgress(&Screen{out: &out, Width: 80, Height: 24, Interactive: true}, unit.Decimal)
	for second := range 40 {
		p.drawn = time.Time{} // as if enough time had passed to draw again
		p.Tell(run.Progress{
			Doing: "write sequential 1 MiB, depth 8", Pass: 2, Passes: 6, Share: 0.3,
			Rate: unit.BytesPerSecond(1000e6 - float64(second)*1e6), Left: 3 * time.Minute,
			Elapsed: time.Duration(second+1) * time.Second, Writes: true, Latency: 8 * time.Millisecond,
			Temperatures: map[string]unit.Celsius{"drive": unit.Celsius(40 + second)},
			Readings:     map[string]float64{"fan_running": 1, "power_watts": 4.2},
			Event:        "probe after 3 s: the probe case cannot be read",
			Says:         "slowing: heat 0.9",
		})
	}
	last := out.String()[strings.LastIndex(out.String(), "pass 2/6"):]
	for _, want := range []string{"961 MB/s", "8 ms an operation", "drive 79 °C", "fan on", "power 4.2 W", "40 s",
		"the probe case cannot be read", "slowing: heat 0.9"} {
		if !strings.Contains(last, want) {
			t.Errorf("%q is not in the view %q", want, last)
		}
	}
	if lines := p.live.lines; lines < 15 || lines > 23 {
		t.Errorf("the view has %d lines, on a terminal of 24", lines)
	}
	lines := p.live.lines
	out.Reset()
	p.Finish()
	if got := out.String(); !strings.Contains(got, fmt.Sprintf("\x1b[%dA", lines-1)) ||
		!strings.HasSuffix(got, "\x1b[J") && !strings.HasSuffix(got, "\x1b[0J") {
		t.Errorf("the view is not taken away: %q", got)
	}
}

func TestLiveViewKeepsDipsOfLongPasses(t *testing.T) {
	l := &live{}
	for second := range 20_000 {
		rate := unit.BytesPerSecond(1000e6)
		if second == 12_345 {
			rate = 50e6
		}
		l.take(run.Progress{Pass: 1, Elapsed: time.Duration(second+1) * time.Second, Rate: rate}, unit.Decimal)
	}
	lowest := 1e9
	for _, point := range l.points {
		lowest = min(lowest, point.Value)
	}
	if len(l.points) > mostPoints || lowest != 50 {
		t.Errorf("%d points, the lowest at %v MB/s", len(l.points), lowest)
	}
}

// Shares, what moved the odds, and what is not it, each under its own word.
func TestEvidenceOfExplanations(t *testing.T) {
	var out bytes.Buffer
	s := &Screen{out: &out, Width: 100}
	s.Evidence(session.Finding{
		Kind: "heat-throttle", Evidence: session.NewEvidence(map[string]any{"drops": 2}),
		Shares:   []session.Share{{Explanation: "heat, on and off", Share: 0.75}, {Explanation: "steady", Share: 0.25}},
		Reasons:  []session.Reason{{Says: "it fell at 70", LogOdds: 2.13}, {Says: "levels differ", LogOdds: -0.4}},
		Rejected: []session.Rejection{{Kind: "dropout", Why: "it answered", LogOdds: 4.2}, {Kind: "x", Why: "y"}},
	}, unit.Decimal)
	for _, want := range []string{"heat, on and off   75 %  ▪▪▪▪▪▪▪▪▪▪▪▪▪▪▪\n", "steady             25 %  ▪▪▪▪▪\n",
		"+2.1  it fell at 70", "−0.4  levels differ", "it answered (log-odds −4.2)", "x                 y\n"} {
		if !strings.Contains(out.String(), want) {
			t.Errorf("%q is missing in:\n%s", want, out.String())
		}
	}
}

// wideTable has more than a terminal of eighty columns shows.
func wideTable() table.Table {
	t := table.Table{Columns: []table.Column{table.Text("load"), table.Text("session").Kept(), table.Number("MB/s").Kept(),
		table.Text("between").Spared(1), table.Number("passes").Spared(2), table.Text("remark").Spared(3)}}
	t.Rows = [][]string{
		{"write sequential 1 MiB, depth 8, sustained, until 300 GB are moved", "barnacle-automatic", "2 489",
			"2 480 to 2 495", "3", "the fan began late"},
		{"read random 4 KiB, depth 32", "barnacle-fan-on", "372", "371 to 373", "3", ""},
	}
	return t
}

// No table is wider than the terminal: texts are shortened, the least important columns are
// left out and named, and at last rows become blocks. Where nobody looks it is whole.
func TestTablesFitTheTerminal(t *testing.T) {
	for _, c := range []struct {
		width       int
		interactive bool
		there, not  []string
	}{
		{200, true, []string{"until 300 GB are moved", "the fan began late"}, []string{"Left out"}},
		{90, true, []string{"write sequ", "…", "2 480 to 2 495", "Left out here"}, []string{"the fan began late"}},
		{60, true, []string{"barnacle-automatic", "2 489", "between, passes, remark"}, []string{"2 480 to 2 495  "}},
		{30, true, []string{"barnacle-automatic", "2 489", "session", "the fan"}, []string{"Left out"}},
		{40, false, []string{"until 300 GB are moved", "the fan began late"}, []string{"Left out", "…"}},
	} {
		var out strings.Builder
		screen := &Screen{out: &out, Width: c.width, Interactive: c.interactive}
		screen.Table(wideTable())
		text := ansi.Strip(out.String())
		for _, line := range strings.Split(text, "\n") {
			if c.interactive && lipgloss.Width(line) > c.width {
				t.Errorf("at %d columns a line has %d: %q", c.width, lipgloss.Width(line), line)
			}
		}
		for _, want := range c.there {
			if !strings.Contains(text, want) {
				t.Errorf("at %d columns %q is not in\n%s", c.width, want, text)
			}
		}
		for _, never := range c.not {
			if strings.Contains(text, never) {
				t.Errorf("at %d columns %q is in\n%s", c.width, never, text)
			}
		}
	}
}

// Sensors that are as warm as each other are both seen.
func TestSensorsCloseTogetherAreSeen(t *testing.T) {
	trace := figure.HeatTrace{Title: "t", Seconds: 60, Unit: "MB/s",
		Throughput: figure.Line{Points: []figure.Point{{Seconds: 0, Value: 1}, {Seconds: 60, Value: 1}}},
		Temperatures: []figure.Line{
			{Name: "controller", Points: []figure.Point{{Seconds: 30, Value: 40}, {Seconds: 60, Value: 70}}},
			{Name: "drive", Points: []figure.Point{{Seconds: 30, Value: 40}, {Seconds: 60, Value: 50}}}}}
	var out strings.Builder
	screen := &Screen{out: &out, Width: 100}
	screen.HeatTrace(trace)
	text := ansi.Strip(out.String())
	if !strings.Contains(text, "◆ several together") || strings.Count(text, "◆") < 20 || strings.Count(text, "×") < 20 ||
		strings.Count(text, "•") < 20 {
		t.Errorf("they are drawn as\n%s", text)
	}
}
