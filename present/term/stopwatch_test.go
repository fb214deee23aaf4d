package term

import (
	"strings"
	"testing"
	"unicode/utf8"
)

func TestClockText(t *testing.T) {
	for seconds, want := range map[float64]string{0: "0:00.0", 7.26: "0:07.2", 59.99: "0:59.9", 60: "1:00.0",
		3599.95: "59:59.9", 3600: "1:00:00.0", 90061.5: "25:01:01.5"} {
		if got := clockText(seconds); got != want {
			t.Errorf("%v s are shown as %s, want %s", seconds, got, want)
		}
	}
}

func TestTheViewFitsItsTerminal(t *testing.T) {
	w := Stopwatch{Title: strings.Repeat("long ", 40), Repeat: 2, Planned: 3, Seconds: 36123.4, Running: true,
		Laps: make([]float64, 20), Taken: []float64{47, 48.5}, Within: 0.2, Says: "thrown away"}
	for _, c := range []struct{ columns, rows, lines int }{{30, 20, 19}, {80, 24, 19}, {157, 46, 24}, {157, 20, 19}} {
		lines := w.Lines(c.columns, c.rows)
		if len(lines) != c.lines {
			t.Errorf("in %d by %d it has %d lines, want %d", c.columns, c.rows, len(lines), c.lines)
		}
		for _, line := range lines {
			if utf8.RuneCountInString(line) > c.columns {
				t.Errorf("in %d columns it shows %q", c.columns, line)
			}
		}
	}
	text := strings.Join(w.Lines(157, 46), "\n")
	for _, want := range []string{"copy 2 of 3", "lap 20 at", "taken: 0:47.0, 0:48.5, each to within 0.2 s", "x throws"} {
		if !strings.Contains(text, want) {
			t.Errorf("it does not show %q:\n%s", want, text)
		}
	}
	if strings.Contains(text, "lap 14 at") || strings.Contains((Stopwatch{}).Keys(), "lap") {
		t.Error("it shows laps that are long ago, or offers them to a clock that stands")
	}
}
