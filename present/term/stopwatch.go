package term

import (
	"fmt"
	"strings"

	"opengauge/core/unit"
)

// Stopwatch is the view of a stopwatch.
type Stopwatch struct {
	// Title names the copied files, and Repeat is the number of the copy, from 1.
	Title           string
	Repeat, Planned int
	Seconds         float64
	Running         bool
	Laps            []float64
	// Taken are the times taken before, in seconds, and Within by how much each may be off.
	Taken  []float64
	Within float64
	// Says is a word about the last key; it may be empty.
	Says string
}

// digitRows are the signs of a clock, five rows each.
var digitRows = map[rune][5]string{
	'0': {"█████", "█   █", "█   █", "█   █", "█████"}, '1': {"  █  ", " ██  ", "  █  ", "  █  ", "█████"},
	'2': {"█████", "    █", "█████", "█    ", "█████"}, '3': {"█████", "    █", " ████", "    █", "█████"},
	'4': {"█   █", "█   █", "█████", "    █", "    █"}, '5': {"█████", "█    ", "█████", "    █", "█████"},
	'6': {"█████", "█    ", "█████", "█   █", "█████"}, '7': {"█████", "    █", "   █ ", "  █  ", "  █  "},
	'8': {"█████", "█   █", "█████", "█   █", "█████"}, '9': {"█████", "█   █", "█████", "    █", "█████"},
	':': {"   ", " █ ", "   ", " █ ", "   "}, '.': {"   ", "   ", "   ", "   ", " █ "},
}

// clockText writes seconds as a stopwatch does: "1:07.3".
func clockText(seconds float64) string {
	tenths := int64(seconds*10 + 1e-6)
	hours, minutes, rest := tenths/36000, tenths/600%60, tenths%600
	if hours > 0 {
		return fmt.Sprintf("%d:%02d:%02d.%d", hours, minutes, rest/10, rest%10)
	}
	return fmt.Sprintf("%d:%02d.%d", minutes, rest/10, rest%10)
}

// mostLaps are shown; those before are counted.
const mostLaps = 6

// The size of large digits, and the room that they need.
const (
	largeScale              = 2
	largeColumns, largeRows = 90, 26
)

// digits are the signs of a clock, each so many times as wide and high.
func digits(text string, scale int) []string {
	var lines []string
	for row := range 5 {
		var line strings.Builder
		for _, sign := range text {
			for _, part := range digitRows[sign][row] + " " {
				line.WriteString(strings.Repeat(string(part), scale))
			}
		}
		for range scale {
			lines = append(lines, "  "+strings.TrimRight(line.String(), " "))
		}
	}
	return lines
}

// Lines are the view in so many columns and rows, a line each, without colours.
func (w Stopwatch) Lines(columns, rows int) []string {
	lines := []string{w.Title, fmt.Sprintf("copy %d of %d", w.Repeat, max(w.Planned, w.Repeat)), ""}
	scale := 1
	if columns >= largeColumns && rows >= largeRows {
		scale = largeScale
	}
	lines = append(lines, digits(clockText(w.Seconds), scale)...)
	lines = append(lines, "")
	for i, lap := range w.Laps[max(len(w.Laps)-mostLaps, 0):] {
		number := max(len(w.Laps)-mostLaps, 0) + i
		before := 0.0
		if number > 0 {
			before = w.Laps[number-1]
		}
		lines = append(lines, fmt.Sprintf("  lap %d at %s, %.1f s after the one before", number+1, clockText(lap),
			lap-before))
	}
	var taken []string
	for _, seconds := range w.Taken {
		taken = append(taken, clockText(seconds))
	}
	if len(taken) > 0 {
		lines = append(lines, fmt.Sprintf("  taken: %s, each to within %s s", strings.Join(taken, ", "),
			unit.Digits(w.Within, 2)))
	}
	if w.Says != "" {
		lines = append(lines, "  "+w.Says)
	}
	lines = append(lines, "", "  "+w.Keys())
	for i, line := range lines {
		if cut := []rune(line); len(cut) > columns {
			lines[i] = string(cut[:columns])
		}
	}
	return lines
}

// Keys describes the keys in this state.
func (w Stopwatch) Keys() string {
	if w.Running {
		return "space stops   l marks a lap   x throws this one away   q ends"
	}
	return "space starts as the copy does   q ends"
}

// Stopwatch draws the view over the one before, which had so many lines, and gives how many
// this one has.
func (s *Screen) Stopwatch(w Stopwatch, before int) int {
	lines := w.Lines(max(s.Width-1, 20), s.Height)
	var text strings.Builder
	if before > 0 {
		fmt.Fprintf(&text, "\x1b[%dA\r", before)
	}
	for _, line := range lines {
		text.WriteString("\x1b[2K" + Clean(line) + "\r\n")
	}
	if before > len(lines) {
		text.WriteString("\x1b[J")
	}
	s.Printf("%s", text.String())
	return len(lines)
}
